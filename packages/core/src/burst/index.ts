export { burstSchema, readBurst, type BurstDefinition, type CopyFormat, type MailDestination } from './definition.ts';
export { checkTemplate, fillTemplate, safeFileName, templateNames } from './template.ts';
export { readPeriod, type Period } from './period.ts';
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
