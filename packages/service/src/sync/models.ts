import { followedKinds, type FollowProblem } from '@underbell/core/sync';
import type { RefreshSchedule } from '../dataset/index.ts';
import { defineModel, instant, json, key, nullable, oneOf, text, type RowOf } from '../platform/records/index.ts';

/** Files of elsewhere that are followed. */
export const followedFiles = defineModel('followed_files', {
  name: key(text()),
  kind: oneOf(...followedKinds),
  /** What it becomes; null for a report or board that was not read yet. */
  thingName: nullable(text()),
  address: text(),
  username: nullable(text()),
  sealedPassword: nullable(text()),
  schedule: nullable(json<RefreshSchedule>()),
  nextAt: nullable(instant()),
  hookFingerprint: nullable(text()),
  /** As the server said them with what was taken over last (RFC 9110, section 8.8). */
  etag: nullable(text()),
  lastModified: nullable(text()),
  /** SHA-256 of what was taken over last. */
  digest: nullable(text()),
  /** Somebody looks at it, until then at most. */
  checkingUntil: nullable(instant()),
  checkedAt: nullable(instant()),
  changedAt: nullable(instant()),
  problem: nullable(json<FollowProblem>()),
  /** With whose rights it is taken over: of who saved it. */
  ownerId: text(),
  madeAt: instant(),
});
export type FollowedRow = Readonly<RowOf<typeof followedFiles>>;
