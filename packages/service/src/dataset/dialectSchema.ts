import Joi from 'joi';
import { dateOrders, decimalSigns, fileEncodings, fileSeparators } from '@underbell/core/dataset';

/** How the cells of a file are written. */
export const cellDialect = {
  decimal: Joi.string()
    .valid(...decimalSigns)
    .description('decimal separator'),
  dates: Joi.string()
    .valid(...dateOrders)
    .description('order of day, month and year in dates such as 03/09/2026'),
};
/** How a file of text is written; what is left out is found, and refused where it can be read in two ways. */
export const fileDialect = {
  encoding: Joi.string()
    .valid(...fileEncodings)
    .description('text encoding, as in the IANA registry'),
  separator: Joi.string()
    .valid(...fileSeparators)
    .description('separator of values'),
  ...cellDialect,
};
