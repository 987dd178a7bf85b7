import type { JSONWebKeySet } from 'jose';
import type { ClientBounds, ReportViewDetails } from '@underbell/core/access';
import type { TokenAlgorithm } from '@underbell/core/token';
import {
  defineModel,
  filled,
  instant,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  text,
  word,
  type RowOf,
} from '../platform/records/index.ts';

export const clients = defineModel('clients', {
  id: key(text()),
  title: text(),
  /** Null for a client that signs assertions with a key of its own. */
  secretFingerprint: nullable(text()),
  /** The secret before, for as long as it holds beside the new one. */
  formerFingerprint: nullable(text()),
  formerUntil: nullable(instant()),
  publicKeys: nullable(json<JSONWebKeySet>()),
  bounds: json<ClientBounds>(),
  state: filled(oneOf('active', 'revoked')),
});
export type ClientRow = RowOf<typeof clients>;

export const signingKeys = defineModel('signing_keys', {
  id: key(text()),
  algorithm: filled(word<TokenAlgorithm>()),
  publicJwk: json<Record<string, string>>(),
  sealedPrivateJwk: text(),
  createdAt: instant(),
  signsFrom: instant(),
  retiredAt: nullable(instant()),
});
export type KeyRow = RowOf<typeof signingKeys>;

export const accessTokens = defineModel('access_tokens', {
  id: key(text()),
  clientId: refersTo(text(), 'clients', 'client'),
  details: json<ReportViewDetails>(),
  issuedAt: instant(),
  expiresAt: instant(),
  revokedAt: nullable(instant()),
  /** The token that this one was exchanged for; null for one that was asked for directly. */
  parentId: nullable(refersTo(text(), 'access_tokens', 'parent')),
  rootId: text(),
  keyThumbprint: nullable(text()),
  /** The person who handed it out; null where the program asked for it itself. */
  giverId: nullable(text()),
});
export type TokenRow = RowOf<typeof accessTokens>;
