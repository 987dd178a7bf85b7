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
        limits: 'makes and changes people and groups (SCIM 2.0)',
        madeBy: null,
        madeAt: null,
        lastUsedAt: null,
        endsAt: null,
        ending: 'whoever runs the service changes UNDERBELL_SCIM_TOKEN',
        mayEnd: false,
      },
    ];
  },
};
