import type { AccessProvider } from '../platform/index.ts';

/** The key with which the directory tells who comes and goes. */
export const directoryDoors: AccessProvider = {
  kind: 'directory key',
  async list(app, person) {
    if (!person.isAdministrator || app.settings.scimToken === undefined) return [];
    return [
      {
        id: 'scim',
        title: 'key of the directory',
        to: 'the directory',
        limits: 'provisions users and groups (SCIM 2.0)',
        madeBy: null,
        madeAt: null,
        lastUsedAt: null,
        endsAt: null,
        ending: 'Change UNDERBELL_SCIM_TOKEN on the server.',
        mayEnd: false,
      },
    ];
  },
};
