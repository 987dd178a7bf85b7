import Joi from 'joi';
import { Refusal } from '../refusal/index.ts';

/** Kinds of places that copies go to. */
export const destinationKinds = ['mail', 'library', 'directory', 'webhook'] as const;
export type DestinationKind = (typeof destinationKinds)[number];

/** Mail: to each recipient's own address. */
export interface MailDestination {
  readonly kind: 'mail';
  /** A mail host of its own; the installation's when left out. */
  readonly to?: string;
  readonly subject: string;
  readonly message: string;
  /** Where answers go, when not to the installation's address. */
  readonly replyTo?: string;
  /** What somebody without rows reads, where a burst sends a note then. */
  readonly emptyMessage?: string;
  /** Whether the files travel with the mail, or links under which they are fetched; `{links}` says where in the message. */
  readonly send?: 'files' | 'links';
  /** Files that are larger together, in megabytes, go as links all the same; 20 when left out. */
  readonly largest?: number;
  /** Whether the letter shows the page itself: its picture, its numbers as text, and a link to the report. */
  readonly page?: boolean;
  /** Whether recipients can say, with one click, that they want no more of these. */
  readonly unsubscribe?: boolean;
}

/** A folder on a file server (WebDAV) or on the service's own disk. */
export interface FolderDestination {
  readonly kind: 'library' | 'directory';
  /** The destination's name. */
  readonly to: string;
  /** Below the destination, one segment after the other, each a template; made as needed. */
  readonly folder?: string;
  /** Whether a file that is there already may be written over; it is refused unless this says yes. */
  readonly replace?: boolean;
  /** A letter to the recipient with the places of the files, at `{links}`. */
  readonly announce?: { readonly subject: string; readonly message: string };
}

/** A program that is told of each copy, with the files. */
export interface WebhookDestination {
  readonly kind: 'webhook';
  readonly to: string;
}

/** Where the copies of a burst go, and how they are announced there. */
export type BurstDestination = MailDestination | FolderDestination | WebhookDestination;

/** The name under which the installation's own mail host is known. */
export const ownMail = 'mail';
export const destinationName = (destination: BurstDestination): string => destination.to ?? ownMail;

const reference = Joi.string().max(63);
const subject = Joi.string().min(1).max(200).required();
const message = Joi.string().min(1).max(10_000);
const folder = {
  to: reference.required(),
  folder: Joi.string().min(1).max(300),
  replace: Joi.boolean(),
  announce: Joi.object({ subject, message: message.required() }),
};

export const destinationSchema = Joi.alternatives()
  .conditional('.kind', {
    switch: [
      {
        is: 'mail',
        then: Joi.object({
          kind: Joi.string().required(),
          to: reference,
          subject,
          message: message.required(),
          replyTo: Joi.string().max(254),
          emptyMessage: message,
          send: Joi.string().valid('files', 'links'),
          largest: Joi.number().positive().max(1000),
          page: Joi.boolean(),
          unsubscribe: Joi.boolean(),
        }),
      },
      { is: 'library', then: Joi.object({ kind: Joi.string().required(), ...folder }) },
      { is: 'directory', then: Joi.object({ kind: Joi.string().required(), ...folder }) },
      { is: 'webhook', then: Joi.object({ kind: Joi.string().required(), to: reference.required() }) },
    ],
    otherwise: Joi.object({
      kind: Joi.string()
        .valid(...destinationKinds)
        .required(),
    }),
  })
  .required();

/** So many copies in so many seconds, whichever seconds those are. */
export interface Rate {
  readonly copies: number;
  readonly seconds: number;
}

/** What a destination takes: how fast, and how many at once. */
export interface DestinationLimits {
  readonly rates: readonly Rate[];
  readonly parallel: number;
}

const units: Readonly<Record<string, number>> = {
  s: 1,
  second: 1,
  seconds: 1,
  min: 60,
  minute: 60,
  minutes: 60,
  h: 3_600,
  hour: 3_600,
  hours: 3_600,
  d: 86_400,
  day: 86_400,
  days: 86_400,
};
export const maxRateSeconds = 31 * 86_400;

/** Reads `3 per 10 s`, `1600 per day`. @throws {Refusal} `INPUT_INVALID` */
export function readRate(text: string): Rate {
  const [, copies, count = '1', unit] = /^\s*(\d{1,9})\s+per\s+(?:(\d{1,7})\s*)?([a-z]+)\s*$/i.exec(text) ?? [];
  const seconds = Number(count) * (units[unit?.toLowerCase() ?? ''] ?? Number.NaN);
  if (Number(copies) >= 1 && seconds >= 1 && seconds <= maxRateSeconds) return { copies: Number(copies), seconds };
  throw new Refusal('INPUT_INVALID', `“${text.slice(0, 60)}” is not a valid rate limit.`, {
    word: text.slice(0, 60),
    hint: 'Example: 3 per 10 s, or 1600 per day. Units: seconds, minutes, hours, days; at most 31 days.',
  });
}

export function rateWords({ copies, seconds }: Rate): string {
  const [name, size] = (
    [
      ['day', 86_400],
      ['hour', 3_600],
      ['minute', 60],
      ['second', 1],
    ] as const
  ).find((one) => seconds % one[1] === 0)!;
  const count = seconds / size;
  return `${copies} per ${count === 1 ? name : `${count} ${name}s`}`;
}

/**
 * How long the next copy has to wait, so that no stretch of any rate's length ever holds more copies than it allows.
 *
 * @param newest - for each rate, when the oldest of its latest `copies` copies left; undefined where there were fewer
 * @param now - milliseconds, on the same clock
 * @returns milliseconds; 0 when it may leave
 */
export function waitFor(rates: readonly Rate[], newest: readonly (number | undefined)[], now: number): number {
  const waits = rates.map(({ seconds }, i) => {
    const left = newest[i];
    return left === undefined ? 0 : left + seconds * 1_000 - now;
  });
  return Math.max(0, ...waits);
}

/** How long so many copies take at least; milliseconds. */
export function leastMs(rates: readonly Rate[], copies: number): number {
  return Math.max(0, ...rates.map((rate) => Math.floor(Math.max(0, copies - 1) / rate.copies) * rate.seconds * 1_000));
}

/** How many failures in a row stop a destination. */
export const failuresToPause = 3;

/** How long a run waits before it looks again whether a destination that stopped takes copies. */
export function lookAgainMs(times: number): number {
  return Math.min(15_000 * 2 ** Math.max(0, times), 300_000);
}
