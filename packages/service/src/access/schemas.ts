import Joi from 'joi';
import { isOrigin } from '@underbell/core/access';
import { readAs } from '@underbell/core/check';
import { thingName } from '@underbell/core/dataset';

export const email = Joi.string().email({ tlds: false }).max(254);
export const password = Joi.string().min(1).max(200);
export const thing = Joi.string()
  .pattern(thingName, 'lower-case letters, digits and hyphens, starting with a letter')
  .max(60);
/** An origin (RFC 6454): scheme, host and port, nothing after. */
export const webOrigin = Joi.string()
  .max(300)
  .custom((value: string, helpers) => (isOrigin(value) ? value : helpers.error('string.origin')), 'origin')
  .description('origin of the host page: scheme, host and port, for example https://portal.example');
export const groupName = Joi.string().trim().min(1).max(100);
/** CQL2 text, or CQL2 JSON. */
export const filter = readAs<string | object>()(
  Joi.alternatives(
    Joi.string().max(16_384).description('CQL2 text'),
    Joi.object().unknown().description('CQL2 JSON (OGC 21-065r2)'),
  ),
);

/** Everyone, a group, a person, or whatever else a list of kinds adds. */
export const holderOf = <Kind extends string>(...kinds: Kind[]) =>
  readAs<{ kind: 'everyone' } | { kind: Kind; name: string }>()(
    Joi.alternatives().conditional('.kind', {
      is: 'everyone',
      then: Joi.object({ kind: Joi.string().valid('everyone').required() }),
      otherwise: Joi.object({
        kind: Joi.string()
          .valid(...kinds, 'everyone')
          .required(),
        name: Joi.string().max(254).required(),
      }),
    }),
  );
