import Joi from 'joi';
import { filter, holderOf } from '../access/index.ts';

export const ruleBody = Joi.object({ appliesTo: holderOf('group', 'person').required(), where: filter.required() });
