export { ruleBody } from './schemas.ts';
export { checkedRule, type GivenRule } from './usecases.ts';
