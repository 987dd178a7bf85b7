import { isDeepStrictEqual } from 'node:util';
import { Transaction } from 'sequelize';
import type { BoardDefinition } from '@underbell/core/board';
import { announce, all, one, plain, recall, type App } from '../platform/index.ts';
import { boards, type BoardRow } from './models.ts';

export async function listBoards(app: App): Promise<BoardRow[]> {
  return all(boards(app).findAll({ where: { deletedAt: null }, order: ['name'] }));
}

/** A board that is not in the bin. */
export async function findBoard(app: App, name: string): Promise<BoardRow | undefined> {
  return recall(`board ${name}`, async () => {
    return one(boards(app).findOne({ where: { name, deletedAt: null } }));
  });
}

export async function isBoardBinned(app: App, name: string): Promise<boolean> {
  const row = await boards(app).findByPk(name);
  return row !== null && row.get('deletedAt') !== null;
}

/**
 * @param expected - the version that was changed; any when left out
 * @returns the board's new version; undefined where another was saved in between
 */
export async function putBoard(
  app: App,
  definition: BoardDefinition,
  by: { readonly id: string; readonly name: string },
  expected: number | undefined,
): Promise<number | undefined> {
  const { name, title } = definition;
  const known = await boards(app).findByPk(name, { lock: Transaction.LOCK.UPDATE });
  if (known && expected !== undefined && plain(known).version !== expected) return undefined;
  const version = known ? plain(known).version + 1 : 1;
  const row = { name, title, definition, version, changedAt: new Date(app.now()), changedBy: by.name, writerId: by.id };
  if (known) await known.update(row);
  else await boards(app).create({ ...row, deletedAt: null });
  return version;
}

/** Lets every board, also those in the bin, follow something that was given another name. */
export async function rewriteBoards(
  app: App,
  rewrite: (definition: BoardDefinition) => BoardDefinition,
): Promise<void> {
  for (const row of await boards(app).findAll()) {
    const { definition, version } = plain(row);
    const written = rewrite(definition);
    if (isDeepStrictEqual(written, definition)) continue;
    await row.update({ definition: written, version: version + 1 });
    await announce(app, { kind: 'board', name: definition.name });
  }
}
