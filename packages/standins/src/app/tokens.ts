import type { WorksSetup } from './setup.ts';
import type { Session } from './signIn.ts';

/** What the app's server asks of Under Bell for one of its pages. */
export interface TokenWish {
  readonly placement: string;
  /** Fields of the record, as the page has them; the company is the session's, whatever the page says. */
  readonly record: Readonly<Record<string, string>>;
}

const idTokenType = 'urn:ietf:params:oauth:token-type:id_token';

/**
 * Exchanges the directory's word for an access token that speaks for whoever signed in: this app is not trusted with naming
 * people, and needs not to be.
 *
 * @see RFC 8693, RFC 9396
 */
export async function askForToken(
  setup: WorksSetup,
  session: Session,
  { placement, record }: TokenWish,
): Promise<{ readonly status: number; readonly body: string }> {
  const context = { ...record, company: session.company };
  const details = [{ type: 'report_view', placement, actions: ['view'], context }];
  const answer = await fetch(`${setup.underBellUrl}/oauth/token`, {
    method: 'POST',
    headers: { Authorization: `Basic ${Buffer.from(`${setup.clientId}:${setup.clientSecret}`).toString('base64')}` },
    body: new URLSearchParams({
      grant_type: 'urn:ietf:params:oauth:grant-type:token-exchange',
      subject_token: session.idToken,
      subject_token_type: idTokenType,
      authorization_details: JSON.stringify(details),
    }),
  });
  return { status: answer.status, body: await answer.text() };
}
