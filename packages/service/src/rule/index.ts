export { ruleBody } from './schemas.ts';
export { checkedRule } from './usecases.ts';
