import { defineModel, instant, json, key, text } from '../platform/records/index.ts';

/** Sign-ins with the directory that have begun. */
export const signIns = defineModel('sign_ins', {
  state: key(text()),
  sealed: json<string>(),
  expiresAt: instant(),
});
