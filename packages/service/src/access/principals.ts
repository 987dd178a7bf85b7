import { isThing, nameNow, type App } from '../platform/index.ts';
import { groupNames } from './groupStore.ts';
import { notFound } from './rights.ts';
import { findPersonRow, isClient, listPeople } from './store.ts';

/** @throws {Refusal} `NOT_FOUND` for a group, person or program that there is not */
export async function requireHolder(app: App, holder: { kind: string; name?: string }): Promise<void> {
  const { kind, name = '' } = holder;
  if (kind === 'group') {
    const groups = await groupNames(app);
    if (!groups.includes(name)) {
      const now = await nameNow(app, { kind: 'group', name });
      throw notFound('group', name, groups, now);
    }
  }
  if ((kind === 'screen' || kind === 'screen-group') && !(await isThing(app, { kind, name })))
    throw notFound(kind, name, []);
  if (kind === 'client' && !(await isClient(app, name))) throw notFound('client', name, []);
  if (kind === 'person' && !(await findPersonRow(app, { email: name }))) {
    const known = (await listPeople(app)).map((one) => one.email);
    throw notFound('person', name, known);
  }
}
