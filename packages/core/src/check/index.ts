export { checkShape } from './checkShape.ts';
export { joiProblems, toPointer } from './joiProblems.ts';
