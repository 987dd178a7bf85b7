import Joi from 'joi';
import { dateOrders, decimalSigns, fileEncodings, fileSeparators } from '@underbell/core/dataset';

/** How the cells of a file are written. */
export const cellDialect = {
  decimal: Joi.string()
    .valid(...decimalSigns)
    .description('what parts whole from fraction'),
  dates: Joi.string()
    .valid(...dateOrders)
    .description('in which order 03/09/2026 is written'),
};
/** How a file of text is written; what is left out is found, and refused where it can be read in two ways. */
export const fileDialect = {
  encoding: Joi.string()
    .valid(...fileEncodings)
    .description('the name of the encoding in the IANA registry'),
  separator: Joi.string()
    .valid(...fileSeparators)
    .description('what parts cells'),
  ...cellDialect,
};
