import { createHash } from 'node:crypto';
import type { Context } from 'koa';
import { LRUCache } from 'lru-cache';
import { Refusal } from '@underbell/core/refusal';
import type { HeartbeatResponse, ScreenCommand, ShownNow } from '@underbell/core/screen';
import { verifyProof, type ProofKeys } from '@underbell/core/token';
import { rows, perInstance, type App } from '../platform/index.ts';
import { closed, tokenIn } from './keys.ts';
import { screenCacheOf, tagNow, verifiedToken, type CachedScreen } from './screenCache.ts';
import { screenHistory, screens, screenStates } from './models.ts';
import { takeCommands } from './commands.ts';

const flushMs = 1_000;
/** Of one screen in one hour; the rest is counted with the beats alone. */
const mostNotedErrors = 12;
const proofMs = 3 * 60_000;

interface Waiting {
  readonly states: Map<string, { readonly at: number; readonly shown: ShownNow }>;
  readonly errors: { readonly screenName: string; readonly at: Date; readonly what: string; readonly detail: string }[];
  readonly noted: LRUCache<string, number>;
  readonly proofs: LRUCache<string, true>;
  readonly keys: LRUCache<string, NonNullable<ReturnType<ProofKeys['get']>>>;
  timer: NodeJS.Timeout | undefined;
}

const waitingOf = perInstance((app): Waiting => {
  app.atClose.add(() => flushHeartbeats(app));
  return {
    states: new Map(),
    errors: [],
    noted: new LRUCache({ max: 50_000, ttl: 3_600_000 }),
    proofs: new LRUCache({ max: 200_000, ttl: proofMs }),
    keys: new LRUCache({ max: 20_000 }),
    timer: undefined,
  };
});

/** Writes down what screens said since the last time, all of it at once. */
export async function flushHeartbeats(app: App): Promise<void> {
  const waiting = waitingOf(app);
  clearTimeout(waiting.timer);
  waiting.timer = undefined;
  const states = [...waiting.states].toSorted(([a], [b]) => (a < b ? -1 : 1));
  const errors = waiting.errors.splice(0);
  waiting.states.clear();
  if (states.length === 0 && errors.length === 0) return;
  try {
    await writeBeats(app, states, errors);
  } catch (error) {
    // Written with the next ones; what was said since counts more.
    for (const [name, state] of states) if (!waiting.states.has(name)) waiting.states.set(name, state);
    waiting.errors.unshift(...errors);
    throw error;
  }
}

async function writeBeats(
  app: App,
  states: readonly (readonly [name: string, state: { readonly at: number; readonly shown: ShownNow }])[],
  errors: Waiting['errors'],
): Promise<void> {
  // One that was taken away or renamed since it spoke has nothing to be written to.
  const names = [...new Set([...states.map(([name]) => name), ...errors.map((one) => one.screenName)])];
  const there = new Set(
    (await rows(screens(app), { where: { name: names }, attributes: ['name'] as never })).map((one) => one.name),
  );
  const found = states
    .filter(([name]) => there.has(name))
    .map(([screenName, { at, shown }]) => ({
      screenName,
      beatAt: new Date(at),
      shown,
      toldSilentAt: null,
      toldStaleAt: null,
    }));
  if (found.length > 0)
    await screenStates(app).bulkCreate(found, { updateOnDuplicate: ['beatAt', 'shown', 'toldSilentAt'] });
  const happened = errors.filter((one) => there.has(one.screenName));
  if (happened.length > 0) await screenHistory(app).bulkCreate(happened);
}

function flushSoon(app: App, waiting: Waiting): void {
  waiting.timer ??= setTimeout(() => {
    flushHeartbeats(app).catch((error: unknown) => app.log.error({ err: error }, 'beats could not be written down'));
  }, flushMs);
}

/**
 * The screen that beats, by what this process knows of it. Its proof is remembered here alone: said again to another
 * process, a beat would tell nothing and change nothing but when it was heard.
 *
 * @throws {Refusal} as for any other question of a screen
 */
export async function authenticateHeartbeat(app: App, ctx: Context): Promise<CachedScreen> {
  const token = tokenIn(ctx);
  const { keyId, thumbprint } = await verifiedToken(app, token);
  const { proofs, keys } = waitingOf(app);
  const expected = {
    method: ctx.method,
    url: `${app.settings.publicUrl}${ctx.path}`,
    now: app.now(),
    tokenHash: createHash('sha256').update(token).digest('base64url'),
  };
  const proof = await verifyProof(ctx.get('DPoP'), expected, keys);
  if (proof.thumbprint !== thumbprint)
    throw new Refusal('PROOF_INVALID', 'The DPoP proof is missing or uses another key.');
  const name = `${thumbprint} ${proof.id}`;
  if (proofs.has(name)) throw new Refusal('PROOF_INVALID', 'The DPoP proof was used before.');
  proofs.set(name, true);
  const found = await screenCacheOf(app).screenOf(keyId);
  if (!found || found.thumbprint !== thumbprint) throw closed();
  return found;
}

/** What a screen says, and what went wrong on it since it spoke last. */
export interface Beat extends ShownNow {
  readonly problems?: readonly { readonly what: string; readonly detail?: string }[];
}

/** Keeps a screen's word until it is written down. */
export function recordHeartbeat(app: App, screenName: string, { problems = [], ...shown }: Beat): void {
  const waiting = waitingOf(app);
  waiting.states.set(screenName, { at: app.now(), shown });
  noteProblems(app, screenName, problems);
  flushSoon(app, waiting);
}

/** Keeps what went wrong on a screen until it is written down; of many things in one hour the first. */
export function noteProblems(app: App, screenName: string, problems: NonNullable<Beat['problems']>): void {
  const waiting = waitingOf(app);
  for (const { what, detail = '' } of problems) {
    const count = (waiting.noted.get(screenName) ?? 0) + 1;
    waiting.noted.set(screenName, count, { ttl: waiting.noted.getRemainingTTL(screenName) || 3_600_000 });
    if (count <= mostNotedErrors) waiting.errors.push({ screenName, at: new Date(app.now()), what, detail });
  }
  if (problems.length > 0) flushSoon(app, waiting);
}

/** What a screen has been told to do since it was asked last, each once. */
export const commandsFor = async (app: App, screenName: string): Promise<ScreenCommand[]> =>
  // Noted as looked for first: an order that comes meanwhile is looked for anew.
  (await screenCacheOf(app).mayHaveCommand(screenName)) ? takeCommands(app, screenName) : [];

/** Takes a screen's word; whatever it is told comes back with the answer. */
export async function hearBeat(app: App, { screen }: CachedScreen, beat: Beat): Promise<HeartbeatResponse> {
  recordHeartbeat(app, screen.name, beat);
  return { now: app.now(), orders: await commandsFor(app, screen.name), tag: await tagNow(app, screen) };
}
