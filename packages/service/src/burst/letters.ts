import { readFile } from 'node:fs/promises';
import {
  fillTemplate,
  goesAsLinks,
  isMailAddress,
  keepingOf,
  runStart,
  templateValues,
  writeLetter,
  type BurstDestination,
  type FolderDestination,
  type MailDestination,
  type PageNumbers,
  type Recipient,
} from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';
import type { MailCopy } from '../deliver/index.ts';
import type { App } from '../platform/index.ts';
import { bounceAddress } from './bounces.ts';
import type { DeliveryRow, MadeFile } from './deliveryStore.ts';
import { makeLinks } from './links.ts';
import { mediaTypeOf, mediaTypes } from '../make/index.ts';
import type { PreparedBurst } from './prepare.ts';
import type { RunRow } from './store.ts';
import { unsubscribeAddress } from './unsubscribe.ts';

/** What sending needs of the run that it belongs to. */
export interface Sending {
  readonly run: RunRow;
  readonly burst: PreparedBurst;
  readonly keptUntil: Date;
  readonly pathOf: (file: MadeFile) => string;
  /** Sees whether the run goes on, and says what is being done; throws when it does not. */
  readonly look: (phase?: string) => Promise<void>;
}

/** What the templates of a copy are filled with. */
export function valuesFor(app: App, { burst, run }: Sending, recipient: Recipient): Record<string, string> {
  const start = runStart(run.createdAt.getTime(), app.settings.timeZone);
  return templateValues({ ...burst, start }, recipient);
}

/** The letter that one copy goes with. */
export async function letterOf(
  app: App,
  sending: Sending,
  delivery: DeliveryRow,
  recipient: Recipient,
  messageId: string,
): Promise<MailCopy> {
  const { burst, run, keptUntil, pathOf } = sending;
  const { definition } = burst;
  const values = valuesFor(app, sending, recipient);
  const words = wordsOf(definition.destination, definition.title);
  const isNote = delivery.files.length === 0;
  const message = isNote
    ? (words.emptyMessage ?? `There is nothing for ${recipient.id} in {period_words}.\n`)
    : words.message;
  const files = delivery.files.filter((file) => file.isInline !== true);
  const bytes = files.reduce((sum, file) => sum + (file.sizeBytes ?? 0), 0);
  const isLinked = !isNote && files.length > 0 && goesAsLinks(definition, bytes);
  const keeping = { until: keptUntil, signIn: keepingOf(definition).signIn };
  const links = isLinked ? await makeLinks(app, delivery, keeping) : [];
  const subject = oneLine(fillTemplate(words.subject, values));
  const { bouncesTo } = app.settings;
  const unsubscribe = words.unsubscribe === true && !run.isTest ? unsubscribeAddress(app, delivery) : undefined;
  const text = fillTemplate(isLinked ? withLinks(message) : message, { ...values, links: links.join('\n') });
  return {
    messageId,
    to: delivery.address,
    subject: run.isTest ? `[Test for ${delivery.recipient}, ${recipient.address}] ${subject}` : subject,
    ...replyTo(words.replyTo, values),
    ...(unsubscribe ? { unsubscribe } : {}),
    ...(bouncesTo ? { bouncesTo: bounceAddress(app, bouncesTo, delivery.id) } : {}),
    ...(await formsOf(app, sending, delivery, text, unsubscribe)),
    attachments: [
      ...(isLinked ? [] : files).map((file) => ({
        name: file.name,
        path: pathOf(file),
        type: mediaTypeOf(file.format, run.definition),
      })),
      ...delivery.files
        .filter((file) => file.isInline === true && file.format === 'png')
        .map((file) => ({
          name: file.name,
          path: pathOf(file),
          type: mediaTypes.png,
          contentId: pictureId,
        })),
    ],
  };
}

/**
 * Whom answers go to: a single address, whatever the values of a list row say; a value alone stands for an address, and
 * none is put together from pieces of one.
 */
function replyTo(template: string | undefined, values: Readonly<Record<string, string>>): { replyTo?: string } {
  if (template === undefined) return {};
  const address = fillTemplate(template, values).trim();
  if (isMailAddress(address)) return { replyTo: address };
  throw new Refusal('VALUE_INVALID', 'the address for answers is not a single mail address', {
    pointer: '/destination/replyTo',
    hint: 'write an address, or the list column that holds one',
  });
}

/** The letter as text, and as HTML where it shows the page or offers to stop. */
async function formsOf(
  app: App,
  { burst, pathOf }: Sending,
  delivery: DeliveryRow,
  message: string,
  unsubscribe: string | undefined,
): Promise<{ text: string; html?: string }> {
  const { report } = burst.viewing;
  const numbers = delivery.files.find((file) => file.format === 'numbers');
  if (numbers === undefined && unsubscribe === undefined) return { text: message };
  const page = numbers && (JSON.parse(await readFile(pathOf(numbers), 'utf8')) as PageNumbers);
  return writeLetter({
    message,
    ...(page ? { page: { numbers: page, contentId: pictureId } } : {}),
    link: {
      address: `${app.settings.publicUrl}/console/reports/${report.name}`,
      words: `Open “${report.title}”`,
    },
    ...(unsubscribe ? { unsubscribe } : {}),
  });
}

/** The letter that says where the files of a copy lie. */
export function announcementOf(
  announce: NonNullable<FolderDestination['announce']>,
  delivery: DeliveryRow,
  places: readonly string[],
  values: Readonly<Record<string, string>>,
): Omit<MailCopy, 'messageId'> {
  const links = delivery.files.map((file, i) => `${file.name}: ${places[i]}`).join('\n');
  return {
    to: delivery.address,
    subject: oneLine(fillTemplate(announce.subject, values)),
    text: fillTemplate(withLinks(announce.message), { ...values, links }),
    attachments: [],
  };
}

/** A subject's line feeds would begin headers of somebody else's choice. */
const oneLine = (text: string) => text.replace(/[\r\n]+/g, ' ');

/** How the letter names the picture in it (RFC 2392). */
const pictureId = 'page@under-bell';

const withLinks = (text: string) => (/\{\s*links\s*\}/.test(text) ? text : `${text}\n{links}\n`);

/** The words of a letter; a test of what goes elsewhere comes by mail with few of its own. */
function wordsOf(
  destination: BurstDestination,
  title: string,
): Pick<MailDestination, 'subject' | 'message' | 'emptyMessage' | 'replyTo' | 'unsubscribe'> {
  if (destination.kind === 'mail') return destination;
  return {
    subject: `${title}, {period_words}`,
    message: `This copy goes to the ${destination.kind} “${destination.to}”; here it is as it would lie there.\n`,
  };
}
