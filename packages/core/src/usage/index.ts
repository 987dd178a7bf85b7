export {
  costOthers,
  costSplits,
  usageIntervals,
  type CostsOverTime,
  type CostSplit,
  type CostStretch,
  type CostSum,
  type ShownCostLimit,
  type StretchSum,
} from './apiTypes.ts';
export {
  costState,
  usageText,
  readCostLimit,
  startOfCounting,
  type CostLimit,
  type CostState,
  type CountedCosts,
} from './usageLimit.ts';
