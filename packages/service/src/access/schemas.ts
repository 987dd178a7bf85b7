import Joi from 'joi';
import { thingName } from '@underbell/core/dataset';

export const email = Joi.string().email({ tlds: false }).max(254);
export const password = Joi.string().min(1).max(200);
export const thing = Joi.string()
  .pattern(thingName, 'lower-case letters, digits and hyphens, starting with a letter')
  .max(60);
export const groupName = Joi.string().trim().min(1).max(100);
/** CQL2 text, or CQL2 JSON. */
export const filter = Joi.alternatives(Joi.string().max(16_384), Joi.object().unknown());

/** Everyone, a group, a person, or whatever else a list of kinds adds. */
export const holderOf = (...kinds: string[]) =>
  Joi.alternatives().conditional('.kind', {
    is: 'everyone',
    then: Joi.object({ kind: Joi.string().valid('everyone').required() }),
    otherwise: Joi.object({
      kind: Joi.string()
        .valid(...kinds, 'everyone')
        .required(),
      name: Joi.string().max(254).required(),
    }),
  });
