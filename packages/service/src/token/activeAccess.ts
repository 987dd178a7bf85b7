import { lastUsesOf, type AccessProvider } from '../platform/index.ts';
import { clientsOf, endClient } from './clients.ts';
import { listKeys } from './store.ts';
import { livingTokens, revokeOne } from './tokens.ts';
import { programUses } from '../usage/index.ts';

/** Access tokens that live, with what they are cut down to as far as whoever asks may know. */
const tokens: AccessProvider = {
  kind: 'access token',
  async list(app, person) {
    const living = await livingTokens(app, person);
    const used = await lastUsesOf(
      app,
      'access token',
      living.map((one) => one.id),
    );
    return living.map(({ id, clientId, details, issuedAt, expiresAt, isCutDown }) => {
      const where = 'where' in details ? Object.values(details.where ?? {}) : [];
      const limits = [
        details.actions.join(' and '),
        ...where,
        ...(isCutDown ? ['a filter that you do not decide about'] : []),
      ];
      return {
        id,
        title: `token of ${clientId}`,
        to: 'person' in details && details.person ? `${clientId} for ${details.person}` : clientId,
        of: { kind: 'report' as const, name: details.report },
        limits: limits.join('; '),
        madeBy: null,
        madeAt: issuedAt,
        lastUsedAt: used.get(id) ?? null,
        endsAt: expiresAt,
        ending: `whoever holds it, and every token made of it, sees nothing any more`,
        mayEnd: true,
      };
    });
  },
  end: revokeOne,
};

const programs: AccessProvider = {
  kind: 'program',
  async list(app, person) {
    const active = (await clientsOf(app, person)).filter((one) => one.state === 'active');
    const used = await programUses(
      app,
      active.map((one) => one.id),
    );
    return active.map(({ id, title, bounds, formerUntil }) => ({
      id,
      title,
      to: id,
      limits: [
        `reports ${bounds.reports.join(', ') || 'none that you see'}`,
        bounds.actions.join(' and '),
        ...(bounds.mayNamePersons ? ['may name persons'] : []),
        ...(formerUntil && formerUntil.getTime() > app.now() ? ['its secret before still holds'] : []),
      ].join('; '),
      madeBy: null,
      madeAt: null,
      lastUsedAt: used.get(id) ?? null,
      endsAt: null,
      ending: 'it gets no token any more, and those that it has count no more: every page that it opens goes dark',
      mayEnd: true,
    }));
  },
  end: endClient,
};

const keys: AccessProvider = {
  kind: 'signing key',
  async list(app, person) {
    if (!person.isAdministrator) return [];
    const living = (await listKeys(app)).filter((one) => one.retiredAt === null);
    return living.map(({ id, algorithm, createdAt }) => ({
      id,
      title: `${algorithm} key`,
      to: 'this service',
      limits: 'signs access tokens',
      madeBy: null,
      madeAt: createdAt,
      lastUsedAt: null,
      endsAt: null,
      ending: 'another is made first: underbell signing-key create',
      mayEnd: false,
    }));
  },
};

export const tokenDoors: readonly AccessProvider[] = [tokens, programs, keys];
