import { Op } from 'sequelize';
import { Refusal } from '@underbell/core/refusal';
import { lastUsesOf, one, remember, rows, type AccessProvider } from '../platform/index.ts';
import { invitations, people, sessions } from './models.ts';
import { editPerson } from './people.ts';
import { notFound, requireAdministrator } from './rights.ts';
import { emailsById } from './store.ts';

/** Invitations that can still be accepted: an administrator's to know, and those that one sent. */
const open: AccessProvider = {
  kind: 'invitation',
  async list(app, person) {
    const [found, emails] = await Promise.all([
      rows(invitations(app), { where: { acceptedAt: null, expiresAt: { [Op.gt]: new Date(app.now()) } } }),
      emailsById(app),
    ]);
    return found
      .filter((one) => person.isAdministrator || one.invitedBy === person.email)
      .map((one) => ({
        id: one.personId,
        title: 'invitation',
        to: emails.get(one.personId) ?? one.personId,
        limits: 'the invited user, who sets a password and signs in',
        madeBy: one.invitedBy,
        madeAt: one.createdAt,
        lastUsedAt: null,
        endsAt: one.expiresAt,
        ending: 'The invitation stops working.',
        mayEnd: true,
      }));
  },
  async end(app, person, id, origin) {
    const where = { personId: id, acceptedAt: null, ...(person.isAdministrator ? {} : { invitedBy: person.email }) };
    await app.records.transaction(async () => {
      const gone = await invitations(app).destroy({ where });
      if (gone === 0) throw new Refusal('NOT_FOUND', 'Invitation not found.', { word: id });
      const email = (await emailsById(app)).get(id) ?? id;
      await remember(app, { who: person.email, what: 'invitation revoked', thing: `person ${email}`, origin });
    });
  },
};

const guests: AccessProvider = {
  kind: 'guest',
  async list(app, person) {
    if (!person.isAdministrator) return [];
    const found = await rows(people(app), { where: { state: 'guest' }, order: ['email'] });
    return found.map((one) => ({
      id: one.email,
      title: one.name,
      to: one.email,
      limits: one.organisation === null ? 'view and export' : `of ${one.organisation}; views and exports`,
      madeBy: null,
      madeAt: null,
      lastUsedAt: null,
      endsAt: null,
      ending: 'The user is deactivated and signed out.',
      mayEnd: true,
    }));
  },
  async end(app, person, id, origin) {
    requireAdministrator(person);
    // The list shows guests: nobody else leaves by it.
    if (!(await people(app).findOne({ where: { email: id, state: 'guest' } }))) throw notFound('guest', id, []);
    await editPerson(app, person, id, { state: 'left' }, origin);
  },
};

const kinds = {
  browser: 'a browser',
  'command line': 'command line',
  frame: 'frames of a host page',
  chat: 'a chat',
} as const;

/** Where people are signed in: one's own, and all of them for administrators. */
const signedIn: AccessProvider = {
  kind: 'session',
  async list(app, person) {
    const own = person.isAdministrator ? {} : { personId: person.id };
    const [found, emails] = await Promise.all([
      rows(sessions(app), {
        where: { ...own, expiresAt: { [Op.gt]: new Date(app.now()) } },
        order: [['createdAt', 'DESC']],
      }),
      emailsById(app),
    ]);
    const used = await lastUsesOf(
      app,
      'session',
      found.map((one) => one.fingerprint),
    );
    return found.map((one) => ({
      id: one.fingerprint,
      title: `signed in, in ${kinds[one.kind]}`,
      to: emails.get(one.personId) ?? one.personId,
      limits: 'all permissions of the user',
      madeBy: emails.get(one.personId) ?? null,
      madeAt: one.createdAt,
      lastUsedAt: used.get(one.fingerprint) ?? null,
      endsAt: one.expiresAt,
      ending: 'The session ends; the user can sign in again.',
      mayEnd: true,
    }));
  },
  async end(app, person, id, origin) {
    const where = { fingerprint: id, ...(person.isAdministrator ? {} : { personId: person.id }) };
    await app.records.transaction(async () => {
      const session = await one(sessions(app).findOne({ where }));
      if (!session) throw new Refusal('NOT_FOUND', 'Session not found.', { word: id });
      await sessions(app).destroy({ where });
      const email = (await emailsById(app)).get(session.personId) ?? session.personId;
      await remember(app, { who: person.email, what: 'session ended', thing: `person ${email}`, origin });
    });
  },
};

export const accessDoors: readonly AccessProvider[] = [open, guests, signedIn];
