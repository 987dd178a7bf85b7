import { isAtLeast, type PersonViewer, type ThingKind } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { ForeignKeyConstraintError, QueryTypes, type Transaction } from 'sequelize';
import { namesSeen, noSuch, requireRight, rightOn } from '../access/index.ts';
import { findPlacement } from '../place/store.ts';
import { announce, lockThing, remember, type App } from '../platform/index.ts';

/** Kinds that go for good, rather than into the bin: nothing is lost with them that was not said in a few lines. */
export const takenAway = ['burst', 'list', 'placement', 'source', 'template', 'folder'] as const;
export type TakenAway = (typeof takenAway)[number];

/** One kind: what still needs a thing of it, as rows of one text, and how it goes. */
interface Way {
  readonly users: string;
  readonly gone: readonly string[];
  /** Rights on it stay, because something of it does: a ledger. */
  readonly keepsRights?: boolean;
}

const ways: Readonly<Record<TakenAway, Way>> = {
  burst: {
    users: `SELECT 'run ' || id AS name FROM runs WHERE burst_name = $name AND state IN ('held', 'waiting', 'running', 'paused')`,
    // Its ledger stays: who got what is nobody's to forget.
    gone: [
      `UPDATE bursts SET deleted_at = now(), next_run_at = NULL WHERE name = $name AND deleted_at IS NULL RETURNING 1`,
    ],
    keepsRights: true,
  },
  list: {
    users: `SELECT 'burst ' || name AS name FROM bursts WHERE definition->>'list' = $name AND deleted_at IS NULL`,
    gone: ['DELETE FROM list_rows WHERE list_name = $name', 'DELETE FROM lists WHERE name = $name RETURNING 1'],
  },
  placement: {
    users: `SELECT '' AS name WHERE false`,
    gone: ['DELETE FROM placements WHERE name = $name RETURNING 1'],
  },
  source: {
    users: `SELECT 'dataset ' || name AS name FROM datasets WHERE source_name = $name`,
    gone: ['DELETE FROM sources WHERE name = $name RETURNING 1'],
  },
  template: {
    users: `SELECT 'burst ' || name AS name FROM bursts WHERE definition->>'template' = $name AND deleted_at IS NULL
      UNION SELECT 'run ' || id FROM runs WHERE definition->>'template' = $name AND state IN ('held', 'waiting', 'running', 'paused')`,
    gone: ['DELETE FROM templates WHERE name = $name RETURNING 1'],
  },
  folder: {
    users: `SELECT 'folder ' || name AS name FROM folders WHERE parent_name = $name
      UNION SELECT 'report ' || name FROM reports WHERE folder_name = $name
      UNION SELECT 'board ' || name FROM boards WHERE folder_name = $name
      UNION SELECT 'dataset ' || name FROM datasets WHERE folder_name = $name`,
    gone: ['DELETE FROM cost_limits WHERE folder_name = $name', 'DELETE FROM folders WHERE name = $name RETURNING 1'],
  },
};

const stillNeeded = (kind: TakenAway, name: string, users: readonly string[], cause?: unknown): Refusal =>
  new Refusal(
    'IN_USE',
    `${users.slice(0, 5).join(', ')} still ${users.length === 1 ? 'needs' : 'need'} the ${kind} \`${name}\``,
    {
      word: name,
      problems: users.map((at) => ({ at, message: `needs the ${kind}` })),
      hint: 'change or take away those first',
    },
    ...(cause === undefined ? [] : [{ cause }]),
  );

/** What is not seen by whoever asks is told of without its name. */
async function shownUsers(app: App, person: PersonViewer, all: readonly string[]): Promise<string[]> {
  const users = all.map((text) => text.split(' ') as [ThingKind | 'run', string]);
  const shown = await Promise.all(
    users.map(async ([kind, name]) => kind === 'run' || (await rightOn(app, person, kind, name)) !== undefined),
  );
  const seen = all.filter((_, i) => shown[i]);
  return seen.length === all.length ? seen : [...seen, 'something that you do not see'];
}

async function refuseUsed(
  app: App,
  person: PersonViewer,
  kind: TakenAway,
  name: string,
  transaction: Transaction,
): Promise<void> {
  const rows = await app.records.query<{ name: string }>(ways[kind].users, {
    bind: { name },
    type: QueryTypes.SELECT,
    transaction,
  });
  if (rows.length === 0) return;
  const users = rows.map((row) => row.name);
  throw stillNeeded(kind, name, await shownUsers(app, person, users));
}

/** A placement goes with whoever may change the report that it shows. */
async function requireOwner(app: App, person: PersonViewer, kind: TakenAway, name: string): Promise<void> {
  const placement = kind === 'placement' ? await findPlacement(app, name) : undefined;
  if (placement && isAtLeast(await rightOn(app, person, 'report', placement.reportName), 'edit')) return;
  await requireRight(app, person, 'own', kind, name);
}

/**
 * Takes a thing away for good. What needs it keeps it there; rights on it go with it, so that another of its name is reached by
 * nobody who could reach this one.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`, `IN_USE`
 */
export async function takeAway(
  app: App,
  person: PersonViewer,
  kind: TakenAway,
  name: string,
  origin: string,
): Promise<void> {
  await requireOwner(app, person, kind, name);
  const seen = await namesSeen(app, person, kind);
  await app.records.transaction(async (transaction) => {
    await lockThing(app, kind, name, transaction);
    await refuseUsed(app, person, kind, name, transaction);
    let wasThere = false;
    for (const text of ways[kind].gone) {
      const rows = await app.records
        .query(text, { bind: { name }, type: QueryTypes.SELECT, transaction })
        .catch((error: unknown) => {
          // Something came to need it between the look and now.
          if (error instanceof ForeignKeyConstraintError)
            throw stillNeeded(kind, name, ['something that was just made'], error);
          throw error;
        });
      wasThere = rows.length > 0;
    }
    if (!wasThere) throw noSuch(kind, name, seen);
    if (!ways[kind].keepsRights)
      await app.records.query('DELETE FROM grants WHERE thing_kind = $kind AND thing_name = $name', {
        bind: { kind, name },
        transaction,
      });
    await remember(
      app,
      { who: person.email, what: `${kind} taken away`, thing: `${kind} ${name}`, origin },
      transaction,
    );
    if (kind === 'placement') await announce(app, { kind, name }, transaction);
  });
}
