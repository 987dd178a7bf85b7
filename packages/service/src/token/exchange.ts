import { checkBounds, narrowDetails, readNarrowing } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { signingKeys } from './keys.ts';
import type { ClientRow } from './models.ts';
import { addToken, holdToken } from './store.ts';
import { checkDetails, make, requireProof, tokenViewer, withScope, type IssuedToken } from './tokens.ts';

/** A token may be exchanged, and what comes of it again, so many times. */
const maxExchanges = 8;

/**
 * Exchanges a token for a narrower one. It ends no later than the one before it, and with it.
 *
 * @throws {Refusal} `TOKEN_WIDENS`, and whatever is wrong with the token or what is asked
 * @see RFC 8693
 */
export async function exchangeToken(
  app: App,
  client: ClientRow,
  given: {
    readonly subjectToken: string;
    readonly asked: unknown;
    readonly scope: string | undefined;
    readonly keyThumbprint: string | undefined;
  },
): Promise<IssuedToken> {
  const held = await tokenViewer(app, given.subjectToken);
  // Another client's token looks like none.
  if (held.clientId !== client.id) throw new Refusal('TOKEN_INVALID', 'The access token is not valid.');
  if (held.keyThumbprint !== undefined && held.keyThumbprint !== given.keyThumbprint)
    throw new Refusal('PROOF_INVALID', 'The token is bound to a key: send a DPoP proof.');
  requireProof(client, given.keyThumbprint);
  const wish = withScope(given.asked === undefined ? {} : readNarrowing(given.asked), given.scope);
  const details = narrowDetails(held.details, wish);
  checkBounds(details, client.bounds);
  await checkDetails(app, details, client.bounds);
  // Keys that have to be read anew, or made, are so before anything is held.
  await signingKeys(app);
  return app.records.transaction(async () => {
    const line = await holdToken(app, held.tokenId);
    if (!line) throw new Refusal('TOKEN_REVOKED', 'The access token was revoked.');
    if (line.depth > maxExchanges)
      throw new Refusal('TOKEN_SCOPE_EXCEEDED', `A token can be exchanged at most ${maxExchanges} times in a row.`);
    const left = Math.floor((line.token.expiresAt.getTime() - app.now()) / 1000);
    const lifetimeSeconds = Math.max(1, Math.min(left, client.bounds.maxLifetimeSeconds));
    const { keyThumbprint } = given;
    const order = { client, details, lifetimeSeconds, keyThumbprint, parent: line.token, giverId: line.token.giverId };
    const issued = await make(app, order, (row) => addToken(app, row));
    return { ...issued, issued_token_type: 'urn:ietf:params:oauth:token-type:access_token' };
  });
}
