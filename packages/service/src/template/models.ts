import type { ShownTemplate } from '@underbell/core/template';
import { bytes, defineModel, instant, integer, json, key, text } from '../platform/records/index.ts';

/** Prepared workbooks, in each version. */
export const templates = defineModel('templates', {
  name: key(text()),
  version: key(integer()),
  target: json<ShownTemplate['target']>(),
  fileName: text(),
  bytes: bytes(),
  summary: json<ShownTemplate['summary']>(),
  loadedAt: instant(),
  loadedBy: text(),
});
