export type {
  DeliveryState,
  DeliveryLog,
  LedgerEntry,
  RunCause,
  RunCounts,
  RunStatus,
  ShownPlan,
  ShownPlanEntry,
  ShownRun,
} from './apiTypes/index.ts';
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
  burstMistakes,
  parametersSet,
  textEncodings,
  type BurstDefinition,
  type BurstSchedule,
  type CopyFormat,
  type CsvStyle,
  type MadeFormat,
  type TextEncoding,
} from './definition.ts';
export { decideDue, type DueStart } from './missed.ts';
export { comparePlan, type Comparison, type FormerCopy } from './compare.ts';
export { writeLetter, type LetterContent, type PageNumbers } from './emailBody.ts';
export { csvStyleFor, rowWriter, type CellStyle, type RowWriter } from './rowFiles.ts';
export { checkTemplate, fillTemplate, folderPath, safeFileName, templateNames } from './template.ts';
export {
  nextRuns,
  periodAt,
  readPeriod,
  repeatedPeriods,
  runStart,
  samplePeriod,
  type Period,
  type RunStart,
  checkPeriodDays,
  predecessorOf,
} from './period.ts';
export { isMailAddress, readRecipients, type ListColumns, type Recipient } from './recipients.ts';
export {
  formatsOf,
  planBurst,
  planEntries,
  templateNamesFor,
  templateValues,
  type PlanEntry,
  type PlanInput,
  type PlannedFile,
  type WantedCopy,
} from './plan.ts';
export { readFields, RowCutter, type CutterOptions, type TakeBytes } from './rowSplitter.ts';
export {
  boundCondition,
  boundReading,
  cutKey,
  cutOf,
  cuttingColumns,
  cutTexts,
  recipientsOfCopies,
  textsOf,
  textOfValue,
  type Bound,
  type Cut,
} from './recipientSlice.ts';
export {
  conditionsOf,
  decideStrategy,
  keysOf,
  looksAtRecipient,
  tupleKey,
  tuplesOf,
  type Keys,
  type CutStrategy,
} from './readStrategy.ts';
export { createRouter, type RouterOptions } from './router.ts';
export { periodUnits, type BurstPeriod, type PeriodUnit } from './periodUnits.ts';
export { renamedInBurst } from './applyRename.ts';
export { recipientColumns } from './recipientColumns.ts';
