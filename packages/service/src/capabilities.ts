import { app } from './app/manifest.ts';
import { access } from './access/manifest.ts';
import { board } from './board/manifest.ts';
import { burst } from './burst/manifest.ts';
import { channel } from './channel/manifest.ts';
import { dataset } from './dataset/manifest.ts';
import { deliver } from './deliver/manifest.ts';
import { directory } from './directory/manifest.ts';
import { folder } from './folder/manifest.ts';
import { sync } from './sync/manifest.ts';
import { list } from './list/manifest.ts';
import { copies } from './copies/manifest.ts';
import { media } from './media/manifest.ts';
import { usage } from './usage/manifest.ts';
import { activeAccess } from './activeAccess/manifest.ts';
import { operations } from './operations/manifest.ts';
import { placement } from './placement/manifest.ts';
import type { Capability } from './platform/index.ts';
import { refresh } from './refresh/manifest.ts';
import { report } from './report/manifest.ts';
import { render } from './render/manifest.ts';
import { rule } from './rule/manifest.ts';
import { schedule } from './schedule/manifest.ts';
import { source } from './source/manifest.ts';
import { template } from './template/manifest.ts';
import { screen } from './screen/manifest.ts';
import { preview } from './preview/manifest.ts';
import { token } from './token/manifest.ts';
import { view } from './view/manifest.ts';

/**
 * What the service can do, each part once. A capability uses those that stand above it and none below; `npm run imports`
 * checks that.
 */
export const capabilities: readonly Capability[] = [
  render,
  access,
  usage,
  schedule,
  source,
  dataset,
  rule,
  refresh,
  report,
  view,
  board,
  placement,
  token,
  preview,
  template,
  list,
  copies,
  deliver,
  sync,
  burst,
  directory,
  folder,
  channel,
  app,
  media,
  screen,
  activeAccess,
  operations,
];
