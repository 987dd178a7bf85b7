import { createHash } from 'node:crypto';
import type { Context } from 'koa';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../app.ts';
import { idempotencyKeys } from '../models.ts';
import { withDecisions, type Decision } from '../decisions.ts';
import { beginOnce, begunBefore } from './idempotency.sql.ts';

/** What a write answered. */
interface Kept {
  readonly status: number;
  readonly body: unknown;
}

/** Whose request it is, and how it is told from others. */
interface Once {
  /** Whose key it is; nobody gets the answer of another. */
  readonly asker: string;
  readonly key: string;
  readonly body: unknown;
  /** Decides anew what was decided of the asker. @throws {Refusal} */
  readonly still: (decisions: readonly Decision[]) => Promise<void>;
}

/** A request that takes longer than this has lost its process. */
const longestMinutes = 30;
const purpose = 'idempotency answers';
const keyPattern = /^[\x21-\x7e]{1,255}$/;

/** The key of a write, if it has one. @throws {Refusal} `INPUT_INVALID` */
export function idempotencyKey(ctx: Context): string | undefined {
  const key = ctx.get('Idempotency-Key').replace(/^"(.*)"$/, '$1');
  if (key === '' || ['GET', 'HEAD', 'OPTIONS'].includes(ctx.method)) return undefined;
  if (keyPattern.test(key)) return key;
  throw new Refusal('INPUT_INVALID', 'An idempotency key has 1 to 255 visible characters.', {
    pointer: 'Idempotency-Key',
    word: key.slice(0, 60),
  });
}

/** A request as it is told from another under the same key; of what is streamed, by its length and kind. */
function requestFingerprint(ctx: Context, body: unknown): string {
  const sent = body === undefined ? [ctx.get('Content-Length'), ctx.get('Content-Type')] : body;
  return createHash('sha256')
    .update(JSON.stringify([ctx.method, ctx.url, sent]))
    .digest('base64url');
}

/**
 * Does a write once, however often the same request comes under the same key of the same asker: later ones get the answer of
 * the first, as long as their rights are the same. What was refused was not done and may come again.
 *
 * @throws {Refusal} `NOT_ALLOWED`, `NOT_FOUND` where a right is gone, `IDEMPOTENCY_MISMATCH`, `IDEMPOTENCY_ACTIVE`, `IDEMPOTENCY_UNKNOWN` where the process died in between
 */
export async function doOnce(
  app: App,
  ctx: Context,
  { asker, key, body, still }: Once,
  work: () => Promise<Kept>,
): Promise<Kept & { readonly isReplay: boolean }> {
  const id = createHash('sha256')
    .update(JSON.stringify([asker, key]))
    .digest('base64url');
  const request = requestFingerprint(ctx, body);
  if (!(await beginOnce(app, id, request))) {
    const { decisions, ...kept } = await answerBefore(app, id, request, key);
    await still(decisions);
    return { ...kept, isReplay: true };
  }
  let answer: Kept;
  let decisions: readonly Decision[];
  try {
    ({ made: answer, decisions } = await withDecisions(work));
    // What is streamed is not kept; it changes nothing, or can be asked for again.
    if (answer.body !== null && typeof answer.body === 'object' && 'stream' in answer.body) {
      await forget(app, id);
      return { ...answer, isReplay: false };
    }
  } catch (error) {
    await forget(app, id);
    throw error;
  }
  // An answer may hold a secret that is shown once.
  const sealedAnswer = app.vault.seal(JSON.stringify({ body: answer.body ?? null, decisions }), purpose);
  await idempotencyKeys(app).update({ status: answer.status, sealedAnswer }, { where: { key: id } });
  return { ...answer, isReplay: false };
}

async function forget(app: App, id: string): Promise<void> {
  await idempotencyKeys(app).destroy({ where: { key: id } });
}

async function answerBefore(
  app: App,
  id: string,
  request: string,
  key: string,
): Promise<Kept & { readonly decisions: readonly Decision[] }> {
  const row = await begunBefore(app, id, longestMinutes);
  const about = { pointer: 'Idempotency-Key', word: key };
  if (row && row.request !== request)
    throw new Refusal('IDEMPOTENCY_MISMATCH', 'This idempotency key was used for another request.', {
      ...about,
      hint: 'Use a new key for each request.',
    });
  if (row?.sealed && row.status !== null) {
    const kept = JSON.parse(app.vault.open(row.sealed, purpose)) as {
      body?: unknown;
      decisions?: readonly Decision[];
    } | null;
    // Of one that was kept before decisions were, nothing tells whether it may still be given.
    if (kept?.decisions) return { status: row.status, body: kept.body, decisions: kept.decisions };
  }
  if (row?.isOld || row?.sealed)
    throw new Refusal('IDEMPOTENCY_UNKNOWN', 'The process stopped before it answered this request.', {
      ...about,
      hint: 'Check whether it was done, then repeat it with another key.',
    });
  throw new Refusal('IDEMPOTENCY_ACTIVE', 'This request is still running.', { ...about, hint: 'Try again later.' });
}
