import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import type { PersonViewer } from '@underbell/core/access';
import type { CopyFormat } from '@underbell/core/burst';
import { Refusal, suggest } from '@underbell/core/refusal';
import { notFound } from '../access/index.ts';
import type { App } from '../platform/index.ts';
import { explainLimits } from '../view/index.ts';
import { filterFor, makeSample, mediaTypeOf, outerFilter } from '../copies/index.ts';
import { makePlan } from './plan.ts';
import { type SeenCopy } from '@underbell/core/preview';

/**
 * What one recipient's copy would hold: every limit of each dataset with the rows left after it.
 *
 * @throws {Refusal} `NOT_FOUND` for somebody who is not on the list
 */
export async function previewCopy(
  app: App,
  person: PersonViewer,
  name: string,
  options: { recipient: string; period?: string },
): Promise<SeenCopy> {
  const { burst, entries } = await makePlan(app, person, name, { ...options, again: true });
  const entry = entries.find((one) => one.recipient === options.recipient);
  if (!entry) {
    const known = entries.map((one) => one.recipient);
    throw notFound('recipient', options.recipient, known);
  }
  const { cut } = entry;
  const datasets = await Promise.all(
    [...burst.revisions.values()].map((revision) =>
      explainLimits(
        app,
        revision,
        cut === undefined ? outerFilter(burst, revision.shape) : filterFor(burst, revision.shape, cut),
        'own',
      ),
    ),
  );
  const what =
    entry.action !== 'send'
      ? `skipped: ${entry.reason}`
      : `gets ${entry.files.map((one) => one.name).join(', ') || 'message without files'}`;
  return {
    burst: name,
    as: { kind: 'recipient', name: entry.recipient },
    right: { level: entry.action === 'send' ? 'view' : 'none', because: what },
    datasets,
    figures: [],
    results: {},
  };
}

/**
 * The very file that a recipient would get, made for the sender to look at.
 *
 * @throws {Refusal} `NOT_FOUND`, `COPY_EMPTY` for somebody without rows
 */
export async function sampleFile(
  app: App,
  person: PersonViewer,
  name: string,
  wish: { recipient: string; period?: string; format?: CopyFormat },
): Promise<{ bytes: Buffer; fileName: string; type: string }> {
  const { burst, entries } = await makePlan(app, person, name, { ...wish, again: true, only: [wish.recipient] });
  const [entry] = entries;
  const { formats } = burst.definition;
  const isShown = burst.definition.destination.kind === 'mail' && burst.definition.destination.page === true;
  const format = wish.format ?? formats[0] ?? 'png';
  if (!formats.includes(format) && !(isShown && format === 'png'))
    throw new Refusal('INPUT_INVALID', `Burst “${name}” has no format ${format}.`, {
      pointer: 'format',
      word: format,
      ...suggest(format, formats),
    });
  const file = entry!.files.find((one) => one.format === format);
  if (!file || entry!.cut === undefined)
    throw new Refusal('COPY_EMPTY', `There is no file for “${wish.recipient}”: ${entry!.reason ?? 'no rows'}.`);
  const folder = join(app.settings.workDir, `sample-${randomUUID()}`);
  return {
    bytes: await makeSample(app, burst, entry!.cut, format, folder),
    fileName: file.name,
    type: mediaTypeOf(format, burst.definition),
  };
}
