import {
  guestLevel,
  isAtLeast,
  type PersonViewer,
  type RightLevel,
  type ThingKind,
  type OwnRequest,
  type ShownRequest,
} from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { countAttempt, enqueue, remember, type App } from '../platform/index.ts';
import { listGrants, putGrant } from './grantStore.ts';
import { addRequest, closeRequest, findRequest, listRequests } from './requestStore.ts';
import { notFound, requirePassOn, rightOn, rightsFor, rightsOn } from './rights.ts';
import { findPerson, listPeople } from './store.ts';

export interface Wish {
  readonly thing: { readonly kind: 'report' | 'board'; readonly name: string };
  readonly placement?: string;
  readonly words: string;
}

/** Whom to ask about a thing: its owners by name and the members of groups that own it; administrators when there are none. */
export async function ownersOf(app: App, kind: ThingKind, name: string): Promise<PersonViewer[]> {
  const people = await listPeople(app);
  const decide = await rightsOn(app, kind);
  const owners = people.filter((one) => !one.isAdministrator && isAtLeast(decide(one, name), 'own'));
  return owners.length > 0 ? owners : people.filter((one) => one.isAdministrator);
}

/**
 * Asks the owners for the right to see a report or board.
 *
 * One that does not exist is asked for alike and goes nowhere: neither asking nor looking at what one asked for tells
 * anybody what there is.
 */
export async function askForAccess(
  app: App,
  person: PersonViewer,
  wish: Wish,
  exists: boolean,
  origin: string,
): Promise<void> {
  await countAttempt(app, 'request', person.id);
  const { kind, name } = wish.thing;
  if (exists && (await rightOn(app, person, kind, name)) !== undefined) return;
  const owners = await ownersOf(app, kind, name);
  await app.records.transaction(async () => {
    const { request, isNew } = await addRequest(app, {
      personId: person.id,
      thingKind: kind,
      thingName: name,
      placementName: wish.placement ?? null,
      words: wish.words,
      goesNowhere: !exists,
    });
    if (!isNew || !exists) return;
    const text = [
      `${person.name} (${person.email}) requests access to the ${kind} “${name}”${wish.placement ? `, in “${wish.placement}”` : ''}.`,
      ...(wish.words === '' ? [] : ['', `“${wish.words}”`]),
      '',
      'Answer here:',
      `${app.settings.publicUrl}/console/access/requests`,
      '',
    ].join('\n');
    for (const owner of owners)
      await enqueue(app, 'notice.mail', {
        to: owner.email,
        subject: `Access request: ${person.name}, ${name}`,
        text,
      });
    await remember(app, {
      who: person.email,
      what: 'access requested',
      thing: `${kind} ${name}`,
      origin,
      after: { request: request.id },
    });
  });
}

/** The requests that a person may answer, newest first. */
export async function requestsFor(app: App, person: PersonViewer): Promise<ShownRequest<Date>[]> {
  const people = new Map((await listPeople(app)).map((one) => [one.id, one]));
  const right = rightsFor(app, person);
  const found: ShownRequest<Date>[] = [];
  for (const { personId, goesNowhere: _, ...request } of await listRequests(app)) {
    const asker = people.get(personId);
    const mine = await right({ kind: request.thingKind, name: request.thingName });
    if (!asker || mine?.passesOn === undefined) continue;
    found.push({ ...request, person: { email: asker.email, name: asker.name } });
  }
  return found;
}

/** A person's own requests, newest first: each by what was asked for, not by what stands behind it while that is not shown. */
export async function ownRequests(app: App, person: PersonViewer): Promise<OwnRequest<Date>[]> {
  return (await listRequests(app, person.id)).map(({ personId: _person, goesNowhere: _nowhere, ...request }) => {
    const { placementName, state } = request;
    return placementName === null || state === 'granted' ? request : { ...request, thingName: placementName };
  });
}

/** Answers a request once: with a right, or with words. The reader is told by mail. */
export async function answerRequest(
  app: App,
  by: PersonViewer,
  id: number,
  answer: { level?: RightLevel; words: string },
  origin: string,
): Promise<void> {
  const request = await findRequest(app, id);
  if (!request || request.goesNowhere || (await rightOn(app, by, request.thingKind, request.thingName)) === undefined)
    throw notFound('request', String(id), []);
  const { thingKind, thingName } = request;
  await requirePassOn(app, by, answer.level ?? 'view', thingKind, thingName);
  const asker = await findPerson(app, { id: request.personId });
  if (!asker) throw notFound('request', String(id), []);
  const { level } = answer;
  if (asker.isGuest === true && level !== undefined && !isAtLeast({ level: guestLevel }, level))
    throw new Refusal('NOT_ALLOWED', 'Guests can have “view” and “export” only.', { pointer: '/level', word: level });
  const state = level === undefined ? 'refused' : 'granted';
  await app.records.transaction(async () => {
    const isFirst = await closeRequest(app, id, {
      state,
      level: level ?? null,
      answer: answer.words,
      answeredBy: by.email,
    });
    if (!isFirst) throw new Refusal('VERSION_CONFLICT', 'Another owner has decided this request already.');
    if (level !== undefined) {
      const held = (await listGrants(app)).some(
        (one) =>
          one.holder.kind === 'person' &&
          one.holder.name === asker.email &&
          one.thing.kind === thingKind &&
          one.thing.name === thingName,
      );
      if (!held)
        await putGrant(
          app,
          { holder: { kind: 'person', name: asker.email }, thing: { kind: thingKind, name: thingName }, level },
          { givenBy: by.id },
        );
    }
    const verdict = level === undefined ? 'denied it' : `granted “${level}”`;
    const link = request.placementName ? `/v/${request.placementName}` : `/console/${thingKind}s/${thingName}`;
    const text = [
      `You requested access to the ${thingKind} “${thingName}”. ${by.name} ${verdict}.`,
      ...(answer.words === '' ? [] : ['', `“${answer.words}”`]),
      ...(level === undefined ? [] : ['', `${app.settings.publicUrl}${link}`]),
      '',
    ].join('\n');
    const subject = level === undefined ? `Access denied: ${thingName}` : `Access granted: ${thingName}`;
    await enqueue(app, 'notice.mail', { to: asker.email, subject, text });
    await remember(app, {
      who: by.email,
      what: `access ${state}`,
      thing: `${thingKind} ${thingName}`,
      origin,
      after: { request: id, person: asker.email, level: level ?? null },
    });
  });
}
