import { col, fn, Op } from 'sequelize';
import type { Cut, DeliveryState } from '@underbell/core/burst';
import { all, one, plain, type App } from '../platform/index.ts';
import { deliveries, type DeliveryRow, type MadeFile } from './models.ts';

/** One line of a ledger that is opened: a recipient, and what is to become of the copy. */
export interface LedgerLine {
  readonly recipient: string;
  readonly address: string;
  /** How often the same copy was sent before. */
  readonly repeat: number;
  readonly cut?: Cut;
  /** The limits of this one copy, in words. */
  readonly filter: string;
  readonly rows: number;
  readonly files: readonly MadeFile[];
  readonly isSent: boolean;
  /** Why it is not, or why it holds no files. */
  readonly reason?: string;
}

/** Opens the ledger of a run, one line per recipient. */
export async function openLedger(
  app: App,
  run: Pick<DeliveryRow, 'runId' | 'burstName' | 'occurrence' | 'isTest' | 'destination'>,
  lines: readonly LedgerLine[],
): Promise<void> {
  const changedAt = new Date(app.now());
  // Some at a time, so that the lines of a long list are never all in memory twice.
  for (let at = 0; at < lines.length; at += linesAtOnce)
    await deliveries(app).bulkCreate(
      lines.slice(at, at + linesAtOnce).map((line) => ({
        ...run,
        recipient: line.recipient,
        address: line.address,
        repeat: line.repeat,
        cut: sealedCut(app, line.cut),
        filter: line.filter,
        rowCount: line.rows,
        files: [...line.files],
        state: line.isSent ? ('planned' as const) : ('skipped' as const),
        reason: line.reason ?? null,
        changedAt,
      })),
    );
}

const linesAtOnce = 200;

/** States in which a copy has left, or may have: it is not made again unless asked. */
const left: DeliveryState[] = ['sent', 'sending', 'in doubt'];

/** Recipients who have this occurrence, with the run that sent it and how often. */
export async function sentBefore(
  app: App,
  burst: string,
  occurrence: string,
): Promise<Map<string, { run: number; repeat: number }>> {
  const rows = await deliveries(app).findAll({
    where: { burstName: burst, occurrence, isTest: false, state: { [Op.in]: left } },
    order: [['repeat', 'ASC']],
  });
  return new Map(rows.map(plain).map((row) => [row.recipient, { run: row.runId, repeat: row.repeat }]));
}

/** The occurrences of a burst of which a copy was sent, tests left out. */
export async function sentOccurrences(app: App, burst: string): Promise<string[]> {
  const rows = await deliveries(app).findAll({
    attributes: ['occurrence'],
    where: { burstName: burst, isTest: false, state: 'sent' },
    group: ['occurrence'],
  });
  return rows.map((row) => row.get('occurrence') as string);
}

/** What was sent of an occurrence, in however many runs: the newest copy of each recipient. */
export async function sentCopies(app: App, burst: string, occurrence: string): Promise<DeliveryRow[]> {
  const where = { burstName: burst, occurrence, isTest: false, state: 'sent' as const };
  const rows = await all(deliveries(app).findAll({ where, order: ['id'] }));
  return [...new Map(rows.map((row) => [row.recipient, row])).values()];
}

const passwordPurpose = 'copy password';

/** A cut as it is kept: nobody who reads the records reads a password. */
function sealedCut(app: App, cut: Cut | undefined): Cut | null {
  if (cut?.password === undefined) return cut ?? null;
  return { ...cut, password: app.vault.seal(cut.password, passwordPurpose) };
}

/**
 * What a copy was cut by.
 *
 * @param bind - the list column of each bound parameter; runs from before cuts had one value of the only one
 */
export function cutOfDelivery(
  app: App,
  { cut, value }: DeliveryRow,
  bind: Readonly<Record<string, string>> = {},
): Cut | undefined {
  if (cut !== null)
    return cut.password === undefined ? cut : { ...cut, password: app.vault.open(cut.password, passwordPurpose) };
  const [column] = Object.values(bind);
  return value === null || column === undefined ? undefined : { fields: { [column]: [String(value)] } };
}

export async function listDeliveries(app: App, run: number, states?: readonly DeliveryState[]): Promise<DeliveryRow[]> {
  const where = states === undefined ? { runId: run } : { runId: run, state: { [Op.in]: [...states] } };
  return all(deliveries(app).findAll({ where, order: ['id'] }));
}

/** When a run's last copy left. */
export async function lastSentAt(app: App, run: number): Promise<Date | undefined> {
  const where = { runId: run, state: 'sent' as const };
  const row = await deliveries(app).findOne({ where, order: [['changedAt', 'DESC']] });
  return row ? plain(row).changedAt : undefined;
}

export async function findDelivery(app: App, id: number): Promise<DeliveryRow | undefined> {
  return one(deliveries(app).findByPk(id));
}

/** Notes that a copy came back; the first notice counts. */
export async function noteBounce(app: App, id: number, reason: string): Promise<void> {
  const change = { bouncedAt: new Date(app.now()), bounce: reason };
  await deliveries(app).update(change, { where: { id, bouncedAt: null } });
}

/** Moves deliveries on; only from a state they are in, so that two workers cannot both take one. @returns how many moved */
export async function moveDeliveries(
  app: App,
  which: { ids: readonly number[] } | { run: number },
  from: readonly DeliveryState[],
  change: Partial<Pick<DeliveryRow, 'reason' | 'files' | 'messageId' | 'attempts' | 'places' | 'nextTryAt'>> & {
    state: DeliveryState;
  },
): Promise<number> {
  const where = 'ids' in which ? { id: { [Op.in]: [...which.ids] } } : { runId: which.run };
  const [moved] = await deliveries(app).update(
    { ...change, changedAt: new Date(app.now()) },
    { where: { ...where, state: { [Op.in]: [...from] } } },
  );
  return moved;
}

/** What was sent to an address last, the newest first; tests are nobody's. */
export async function copiesTo(app: App, address: string, limit: number): Promise<DeliveryRow[]> {
  const where = { address: { [Op.iLike]: address.replace(/[\\%_]/g, '\\$&') }, state: 'sent' as const, isTest: false };
  return all(deliveries(app).findAll({ where, order: [['id', 'DESC']], limit }));
}

/** How many copies of a run are in each state, and how many of those that left came back. */
export type CopyCounts = Partial<Record<DeliveryState | 'bounced', number>>;

/** How many copies of each run are in each state; a run without any has no counts. */
export async function countEach(app: App, runs: readonly number[]): Promise<ReadonlyMap<number, CopyCounts>> {
  const asked = await deliveries(app).findAll({
    where: { runId: { [Op.in]: [...runs] } },
    attributes: ['runId', 'state', [fn('count', col('id')), 'count'], [fn('count', col('bounced_at')), 'bounced']],
    group: ['runId', 'state'],
    raw: true,
  });
  const counts = new Map<number, CopyCounts>();
  for (const row of asked as unknown as { runId: number; state: DeliveryState; count: string; bounced: string }[]) {
    const { bounced = 0, ...others } = counts.get(row.runId) ?? {};
    counts.set(row.runId, { ...others, [row.state]: Number(row.count), bounced: bounced + Number(row.bounced) });
  }
  return counts;
}

export async function countDeliveries(app: App, run: number): Promise<CopyCounts> {
  return (await countEach(app, [run])).get(run) ?? {};
}

/** The ledger follows a destination to its new name. */
export async function followDestination(app: App, from: string, to: string): Promise<void> {
  await deliveries(app).update({ destination: to }, { where: { destination: from } });
}
