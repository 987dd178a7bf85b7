export { checkShape } from './checkShape.ts';
export { readAs, type Inferred } from './inferred.ts';
export { invalidRowActions, settleInvalidRows, type InvalidRowAction, type SkippedRows } from './invalidRows.ts';
export { toPointer } from './joiProblems.ts';
export { jsonSchemaOf, type JsonSchema } from './jsonSchema.ts';
export { validate, type Validated } from './validate.ts';
