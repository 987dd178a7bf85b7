import { readFile } from 'node:fs/promises';
import {
  fillTemplate,
  isMailAddress,
  writeLetter,
  type BurstDestination,
  type FolderDestination,
  type MailDestination,
  type PageNumbers,
  type Recipient,
} from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { bounceAddressOf } from './bounces.ts';
import { makeLinks } from './links.ts';
import type { MailCopy } from './mail.ts';
import type { DeliveryRow } from './models.ts';
import type { Sending } from './deliveryJob.ts';

/** The letter that one copy goes with. */
export async function letterOf(
  app: App,
  sending: Sending,
  delivery: DeliveryRow,
  recipient: Recipient,
  messageId: string,
): Promise<MailCopy> {
  const { isTest, keeping, pathOf } = sending;
  const values = sending.valuesFor(recipient);
  const words = wordsOf(sending.destination, sending.title);
  const isNote = delivery.files.length === 0;
  const message = isNote
    ? (words.emptyMessage ?? `There is nothing for ${recipient.id} in {period_words}.\n`)
    : words.message;
  const files = delivery.files.filter((file) => file.isInline !== true);
  const bytes = files.reduce((sum, file) => sum + (file.sizeBytes ?? 0), 0);
  const isLinked = !isNote && files.length > 0 && sending.isLinked(bytes);
  const links = isLinked ? await makeLinks(app, delivery, keeping) : [];
  const subject = oneLine(fillTemplate(words.subject, values));
  const { bounceAddress } = app.settings;
  const unsubscribe = words.unsubscribe === true && !isTest ? sending.unsubscribeAddress(delivery) : undefined;
  const text = fillTemplate(isLinked ? withLinks(message) : message, { ...values, links: links.join('\n') });
  return {
    messageId,
    to: delivery.address,
    subject: isTest ? `[Test for ${delivery.recipient}, ${recipient.address}] ${subject}` : subject,
    ...replyTo(words.replyTo, values),
    ...(unsubscribe ? { unsubscribe } : {}),
    ...(bounceAddress ? { bounceAddress: bounceAddressOf(app, bounceAddress, delivery.id) } : {}),
    ...(await formsOf(app, sending, delivery, text, unsubscribe)),
    attachments: [
      ...(isLinked ? [] : files).map((file) => ({
        name: file.name,
        path: pathOf(file),
        type: sending.typeOf(file),
      })),
      ...delivery.files
        .filter((file) => file.isInline === true && file.format === 'png')
        .map((file) => ({
          name: file.name,
          path: pathOf(file),
          type: sending.typeOf(file),
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
  throw new Refusal('VALUE_INVALID', 'The reply address is not a single email address.', {
    pointer: '/destination/replyTo',
    hint: 'Enter an email address, or the list column that has one.',
  });
}

/** The letter as text, and as HTML where it shows the page or offers to stop. */
async function formsOf(
  app: App,
  { report, pathOf }: Sending,
  delivery: DeliveryRow,
  message: string,
  unsubscribe: string | undefined,
): Promise<{ text: string; html?: string }> {
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
