import { Op } from 'sequelize';
import { all, one, plain, type App } from '../platform/index.ts';
import { accessRequests, invitations, type AccessRequestRow, type InvitationRow } from './models.ts';

/** Adds a request, unless the same is open already. */
export async function addRequest(
  app: App,
  request: Pick<AccessRequestRow, 'personId' | 'thingKind' | 'thingName' | 'placementName' | 'words' | 'goesNowhere'>,
): Promise<{ request: AccessRequestRow; isNew: boolean }> {
  const { personId, thingKind, thingName, placementName } = request;
  const [row, isNew] = await accessRequests(app).findOrCreate({
    where: { personId, thingKind, thingName, placementName, state: 'open' },
    defaults: { ...request, state: 'open', answer: '', askedAt: new Date(app.now()) },
  });
  return { request: plain(row), isNew };
}

export async function findRequest(app: App, id: number): Promise<AccessRequestRow | undefined> {
  return one(accessRequests(app).findByPk(id));
}

export async function listRequests(app: App, personId?: string): Promise<AccessRequestRow[]> {
  // What goes nowhere is nobody's to answer, and crowds out nothing that is.
  const where = personId === undefined ? { goesNowhere: false } : { personId };
  return all(accessRequests(app).findAll({ where, order: [['id', 'DESC']], limit: 500 }));
}

/** Answers an open request. @returns false when somebody else was first */
export async function closeRequest(
  app: App,
  id: number,
  answer: Pick<AccessRequestRow, 'state' | 'level' | 'answer' | 'answeredBy'>,
): Promise<boolean> {
  const [changed] = await accessRequests(app).update(
    { ...answer, answeredAt: new Date(app.now()) },
    { where: { id, state: 'open' } },
  );
  return changed > 0;
}

export async function addInvitation(app: App, invitation: InvitationRow): Promise<void> {
  await invitations(app).destroy({ where: { personId: invitation.personId, acceptedAt: null } });
  await invitations(app).create(invitation);
}

/** An invitation that was neither accepted nor has run out. */
export async function findInvitation(app: App, fingerprint: string): Promise<InvitationRow | undefined> {
  return one(
    invitations(app).findOne({
      where: { fingerprint, acceptedAt: null, expiresAt: { [Op.gt]: new Date(app.now()) } },
    }),
  );
}

/** @returns false when it was accepted in the meantime */
export async function acceptOnce(app: App, fingerprint: string): Promise<boolean> {
  const [changed] = await invitations(app).update(
    { acceptedAt: new Date(app.now()) },
    { where: { fingerprint, acceptedAt: null } },
  );
  return changed > 0;
}
