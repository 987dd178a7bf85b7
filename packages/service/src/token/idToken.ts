import { readAuthorizationDetails } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import type { ClientRow } from './models.ts';
import { issueToken, type IssuedToken } from './tokens.ts';

/** What a program sends of somebody who signed in to it with the common directory. */
export interface IdTokenExchange {
  readonly idToken: string;
  readonly asked: unknown;
  readonly scope: string | undefined;
  readonly keyThumbprint: string | undefined;
}

/**
 * Exchanges the directory's word for who somebody is for an access token that speaks for that person: the program need not be
 * trusted with naming people.
 *
 * @throws {Refusal} `TOKEN_INVALID`, `TOKEN_SCOPE_EXCEEDED` for a program that exchanges none, or names somebody else
 * @see RFC 8693, with a subject token of the type `id_token`
 */
export async function exchangeIdToken(app: App, client: ClientRow, given: IdTokenExchange): Promise<IssuedToken> {
  const { directoryId } = client.bounds;
  if (directoryId === undefined)
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'This client cannot exchange ID tokens.', {
      hint: 'Set its client ID at the identity provider.',
    });
  const person = await app.things.personBehind(given.idToken, directoryId);
  const details = readAuthorizationDetails(given.asked);
  if (details.person !== undefined && details.person.toLowerCase() !== person.email)
    throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'The ID token belongs to a different user than the one requested.', {
      pointer: 'person',
    });
  const named = { ...client, bounds: { ...client.bounds, mayNamePersons: true } };
  const { scope, keyThumbprint } = given;
  const issued = await issueToken(app, named, [{ ...details, person: person.email }], { scope, keyThumbprint });
  return { ...issued, issued_token_type: 'urn:ietf:params:oauth:token-type:access_token' };
}
