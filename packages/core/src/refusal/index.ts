export { refusalKinds, type RefusalCode, type RefusalKind } from './codes.ts';
export { andMore, Refusal, isRefusal, type Problem, type RefusalDetails } from './refusal.ts';
export { nearestNames, suggest } from './suggest.ts';
export { toProblemDocument, type ProblemDocument } from './problem.ts';
export { checkAll, checkAllInTurn, placed } from './collect.ts';
