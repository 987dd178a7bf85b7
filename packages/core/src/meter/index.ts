export type { CostSum, ShownCostLimit } from './answers.ts';
export {
  costState,
  costWords,
  readCostLimit,
  startOfCounting,
  type CostLimit,
  type CostState,
  type CountedCosts,
} from './costLimit.ts';
