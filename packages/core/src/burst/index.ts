export {
  destinationKinds,
  destinationName,
  failuresToPause,
  leastMs,
  lookAgainMs,
  maxRateSeconds,
  ownMail,
  rateWords,
  readRate,
  waitFor,
  type BurstDestination,
  type DestinationKind,
  type DestinationLimits,
  type FolderDestination,
  type MailDestination,
  type Rate,
  type WebhookDestination,
} from './destination.ts';
export {
  burstSchema,
  copyFormats,
  goesAsLinks,
  keepingOf,
  figureFormats,
  readBurst,
  rowFormats,
  type BurstDefinition,
  type BurstSchedule,
  type CopyFormat,
  type CsvStyle,
} from './definition.ts';
export { comparePlan, type Comparison, type FormerCopy } from './compare.ts';
export { rowWriter, type RowWriter } from './rowFiles.ts';
export { checkTemplate, fillTemplate, folderPath, safeFileName, templateNames } from './template.ts';
export { nextRuns, periodAt, readPeriod, type Period } from './period.ts';
export { isMailAddress, readRecipients, type ListColumns, type Recipient } from './recipients.ts';
export {
  planBurst,
  templateNamesFor,
  templateValues,
  type PlanEntry,
  type PlanInput,
  type PlannedFile,
} from './plan.ts';
export { readFields, RowCutter, type CutterOptions, type TakeBytes } from './cutter.ts';
export { createRouter, type RouterOptions } from './router.ts';
