export { checkShape } from './checkShape.ts';
export { readAs, type Inferred } from './inferred.ts';
export { joiProblems, toPointer } from './joiProblems.ts';
export { jsonSchemaOf, type JsonSchema } from './jsonSchema.ts';
