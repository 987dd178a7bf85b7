import { Op } from 'sequelize';
import type { RightLevel, ThingKind } from '@underbell/core/access';
import { defineRecord, plain, type App } from '../platform/index.ts';

/** A reader's wish to see something, and its answer. */
export interface AccessRequestRow {
  id: number;
  personId: string;
  thingKind: ThingKind;
  thingName: string;
  placementName: string | null;
  words: string;
  state: 'open' | 'granted' | 'refused';
  level: RightLevel | null;
  answer: string;
  answeredBy: string | null;
  askedAt: Date;
  answeredAt: Date | null;
  /** It asks for what does not exist: its asker sees it as any other, and nobody else does. */
  goesNowhere: boolean;
}

interface InvitationRow {
  fingerprint: string;
  personId: string;
  invitedBy: string;
  createdAt: Date;
  expiresAt: Date;
  acceptedAt: Date | null;
}

const tables = (app: App) => ({
  requests: defineRecord<AccessRequestRow>(app.records, 'access_requests', {
    id: 'serial',
    personId: 'text',
    thingKind: 'text',
    thingName: 'text',
    placementName: 'text',
    words: 'text',
    state: 'text',
    level: 'text',
    answer: 'text',
    answeredBy: 'text',
    askedAt: 'instant',
    answeredAt: 'instant',
    goesNowhere: 'boolean',
  }),
  invitations: defineRecord<InvitationRow>(app.records, 'invitations', {
    fingerprint: 'key',
    personId: 'text',
    invitedBy: 'text',
    createdAt: 'instant',
    expiresAt: 'instant',
    acceptedAt: 'instant',
  }),
});

/** Adds a request, unless the same is open already. */
export async function addRequest(
  app: App,
  request: Pick<AccessRequestRow, 'personId' | 'thingKind' | 'thingName' | 'placementName' | 'words' | 'goesNowhere'>,
): Promise<{ request: AccessRequestRow; isNew: boolean }> {
  const { personId, thingKind, thingName, placementName } = request;
  const [row, isNew] = await tables(app).requests.findOrCreate({
    where: { personId, thingKind, thingName, placementName, state: 'open' },
    defaults: { ...request, state: 'open', answer: '', askedAt: new Date(app.now()) },
  });
  return { request: plain(row), isNew };
}

export async function findRequest(app: App, id: number): Promise<AccessRequestRow | undefined> {
  const row = await tables(app).requests.findByPk(id);
  return row ? plain(row) : undefined;
}

export async function listRequests(app: App, personId?: string): Promise<AccessRequestRow[]> {
  // What goes nowhere is nobody's to answer, and crowds out nothing that is.
  const where = personId === undefined ? { goesNowhere: false } : { personId };
  return (await tables(app).requests.findAll({ where, order: [['id', 'DESC']], limit: 500 })).map(plain);
}

/** Answers an open request. @returns false when somebody else was first */
export async function closeRequest(
  app: App,
  id: number,
  answer: Pick<AccessRequestRow, 'state' | 'level' | 'answer' | 'answeredBy'>,
): Promise<boolean> {
  const [changed] = await tables(app).requests.update(
    { ...answer, answeredAt: new Date(app.now()) },
    { where: { id, state: 'open' } },
  );
  return changed > 0;
}

export async function addInvitation(app: App, invitation: InvitationRow): Promise<void> {
  const { invitations } = tables(app);
  await invitations.destroy({ where: { personId: invitation.personId, acceptedAt: null } });
  await invitations.create(invitation);
}

/** An invitation that was neither accepted nor has run out. */
export async function findInvitation(app: App, fingerprint: string): Promise<InvitationRow | undefined> {
  const row = await tables(app).invitations.findOne({
    where: { fingerprint, acceptedAt: null, expiresAt: { [Op.gt]: new Date(app.now()) } },
  });
  return row ? plain(row) : undefined;
}

/** @returns false when it was accepted in the meantime */
export async function acceptOnce(app: App, fingerprint: string): Promise<boolean> {
  const [changed] = await tables(app).invitations.update(
    { acceptedAt: new Date(app.now()) },
    { where: { fingerprint, acceptedAt: null } },
  );
  return changed > 0;
}
