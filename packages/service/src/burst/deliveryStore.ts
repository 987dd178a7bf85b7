import { Op, QueryTypes } from 'sequelize';
import type { BurstDefinition, Cut, DeliveryState, PlannedFile } from '@underbell/core/burst';
import type { Value } from '@underbell/core/dataset';
import { defineRecord, plain, type App } from '../platform/index.ts';

/** A file of a copy as it was made. */
export interface MadeFile extends PlannedFile {
  readonly sizeBytes?: number;
  readonly sha256?: string;
}

export interface DeliveryRow {
  id: number;
  runId: number;
  burstName: string;
  occurrence: string;
  recipient: string;
  address: string;
  repeat: number;
  /** What the copy holds, in runs from before cuts had more than one value. */
  value: Value | null;
  cut: Cut | null;
  /** The limits of this one copy, in words. */
  filter: string | null;
  rowCount: string | number;
  files: MadeFile[];
  state: DeliveryState;
  reason: string | null;
  messageId: string | null;
  changedAt: Date;
  isTest: boolean;
  /** How often the destination was asked to take it. */
  attempts: number;
  /** Name of the destination that it goes to. */
  destination: string;
  /** Where its files lie, at a destination that has places for them. */
  places: string[] | null;
  /** When and why the letter came back after its mail host had taken it. */
  bouncedAt: Date | null;
  bounce: string | null;
}

/** The ledger: what became of each recipient's copy. */
export const deliveriesOf = (app: App) =>
  defineRecord<DeliveryRow>(app.records, 'deliveries', {
    id: 'serial',
    runId: 'integer',
    burstName: 'text',
    occurrence: 'text',
    recipient: 'text',
    address: 'text',
    repeat: 'integer',
    value: 'json',
    cut: 'json',
    filter: 'text',
    rowCount: 'integer',
    files: 'json',
    state: 'text',
    reason: 'text',
    messageId: 'text',
    changedAt: 'instant',
    isTest: 'boolean',
    attempts: 'integer',
    destination: 'text',
    places: 'json',
    bouncedAt: 'instant',
    bounce: 'text',
  });

/** States in which a copy has left, or may have: it is not made again unless asked. */
const left: DeliveryState[] = ['sent', 'sending', 'in doubt'];

/** Recipients who have this occurrence, with the run that sent it and how often. */
export async function sentBefore(
  app: App,
  burst: string,
  occurrence: string,
): Promise<Map<string, { run: number; repeat: number }>> {
  const rows = await deliveriesOf(app).findAll({
    where: { burstName: burst, occurrence, isTest: false, state: { [Op.in]: left } },
    order: [['repeat', 'ASC']],
  });
  return new Map(rows.map(plain).map((row) => [row.recipient, { run: row.runId, repeat: row.repeat }]));
}

const passwordPurpose = 'copy password';

/** A cut as it is kept: nobody who reads the records reads a password. */
export function sealedCut(app: App, cut: Cut | undefined): Cut | null {
  if (cut?.password === undefined) return cut ?? null;
  return { ...cut, password: app.vault.seal(cut.password, passwordPurpose) };
}

/** What a copy was cut by; runs from before cuts had one value of the only bound parameter. */
export function cutOfDelivery(app: App, { cut, value }: DeliveryRow, definition: BurstDefinition): Cut | undefined {
  if (cut !== null)
    return cut.password === undefined ? cut : { ...cut, password: app.vault.open(cut.password, passwordPurpose) };
  const [column] = Object.values(definition.bind ?? {});
  return value === null || column === undefined ? undefined : { fields: { [column]: [String(value)] } };
}

export async function listDeliveries(app: App, run: number, states?: readonly DeliveryState[]): Promise<DeliveryRow[]> {
  const where = states === undefined ? { runId: run } : { runId: run, state: { [Op.in]: [...states] } };
  return (await deliveriesOf(app).findAll({ where, order: ['id'] })).map(plain);
}

/** When a run's last copy left. */
export async function lastSentAt(app: App, run: number): Promise<Date | undefined> {
  const where = { runId: run, state: 'sent' as const };
  const row = await deliveriesOf(app).findOne({ where, order: [['changedAt', 'DESC']] });
  return row ? plain(row).changedAt : undefined;
}

export async function findDelivery(app: App, id: number): Promise<DeliveryRow | undefined> {
  const row = await deliveriesOf(app).findByPk(id);
  return row ? plain(row) : undefined;
}

/** Notes that a copy came back; the first notice counts. */
export async function noteBounce(app: App, id: number, reason: string): Promise<void> {
  const change = { bouncedAt: new Date(app.now()), bounce: reason };
  await deliveriesOf(app).update(change, { where: { id, bouncedAt: null } });
}

/** Recipient -> why the last copy that came back did, of those whose newest copy came back. */
export async function bouncedBefore(app: App, burst: string): Promise<Map<string, string>> {
  const rows = await app.records.query<{ recipient: string; bounce: string | null }>(
    `SELECT DISTINCT ON (recipient) recipient, bounce FROM deliveries
     WHERE burst_name = $burst AND state = 'sent' AND NOT is_test ORDER BY recipient, id DESC`,
    { bind: { burst }, type: QueryTypes.SELECT },
  );
  return new Map(rows.flatMap(({ recipient, bounce }) => (bounce === null ? [] : [[recipient, bounce] as const])));
}

/** Moves deliveries on; only from a state they are in, so that two workers cannot both take one. @returns how many moved */
export async function moveDeliveries(
  app: App,
  which: { ids: readonly number[] } | { run: number },
  from: readonly DeliveryState[],
  change: Partial<Pick<DeliveryRow, 'reason' | 'files' | 'messageId' | 'attempts' | 'places'>> & {
    state: DeliveryState;
  },
): Promise<number> {
  const where = 'ids' in which ? { id: { [Op.in]: [...which.ids] } } : { runId: which.run };
  const [moved] = await deliveriesOf(app).update(
    { ...change, changedAt: new Date(app.now()) },
    { where: { ...where, state: { [Op.in]: [...from] } } },
  );
  return moved;
}

/** How many deliveries of a run are in each state. */
export async function countDeliveries(
  app: App,
  run: number,
): Promise<Partial<Record<DeliveryState | 'bounced', number>>> {
  const rows = await app.records.query<{ state: DeliveryState; count: string; bounced: string }>(
    'SELECT state, count(*) AS count, count(bounced_at) AS bounced FROM deliveries WHERE run_id = :run GROUP BY state',
    { replacements: { run }, type: QueryTypes.SELECT },
  );
  const bounced = rows.reduce((sum, row) => sum + Number(row.bounced), 0);
  return { ...Object.fromEntries(rows.map((row) => [row.state, Number(row.count)])), bounced };
}
