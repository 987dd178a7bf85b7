import { randomBytes } from 'node:crypto';
import type Router from '@koa/router';
import type { Context } from 'koa';
import * as oidc from 'openid-client';
import type { WorksSetup } from './setup.ts';

/** Somebody who signed in, with what the directory said of them. */
export interface Session {
  readonly email: string;
  readonly name: string;
  readonly company: string;
  readonly isAdministrator: boolean;
  /** The directory's word for who they are: exchanged for access tokens, and shown to nobody. */
  readonly idToken: string;
  readonly endsAt: number;
}

const cookie = 'works_key';
const pendingCookie = 'works_sign_in';
const options = { httpOnly: true, sameSite: 'lax', overwrite: true } as const;

/** The app's own sign-in, with the directory that its people have already (OpenID Connect, PKCE). */
export class SignIn {
  readonly #setup: WorksSetup;
  readonly #sessions = new Map<string, Session>();
  #config: Promise<oidc.Configuration> | undefined;

  constructor(setup: WorksSetup) {
    this.#setup = setup;
  }

  get #back(): string {
    return `http://127.0.0.1:${this.#setup.port}/sign-in/back`;
  }

  #directory(): Promise<oidc.Configuration> {
    const { issuer, id, secret } = this.#setup.directory;
    this.#config ??= oidc.discovery(new URL(issuer), id, secret, undefined, { execute: [oidc.allowInsecureRequests] });
    return this.#config;
  }

  /** Who asks; nothing for somebody who is not signed in, or whose word of the directory has run out. */
  of(ctx: Context): Session | undefined {
    const session = this.#sessions.get(ctx.cookies.get(cookie) ?? '');
    return session && session.endsAt > Date.now() ? session : undefined;
  }

  routes(router: Router): void {
    router.get('/sign-in', async (ctx: Context) => {
      const verifier = oidc.randomPKCECodeVerifier();
      const state = oidc.randomState();
      const to = /^\/(?!\/)/.test(String(ctx.query['to'])) ? String(ctx.query['to']) : '/';
      ctx.cookies.set(
        pendingCookie,
        Buffer.from(JSON.stringify({ verifier, state, to })).toString('base64url'),
        options,
      );
      ctx.redirect(
        oidc.buildAuthorizationUrl(await this.#directory(), {
          redirect_uri: this.#back,
          scope: 'openid email profile',
          code_challenge: await oidc.calculatePKCECodeChallenge(verifier),
          code_challenge_method: 'S256',
          state,
        }).href,
      );
    });
    router.get('/sign-in/back', async (ctx: Context) => {
      const kept = Buffer.from(ctx.cookies.get(pendingCookie) ?? '', 'base64url').toString() || '{}';
      const { verifier, state, to } = JSON.parse(kept) as { verifier: string; state: string; to: string };
      const tokens = await oidc.authorizationCodeGrant(await this.#directory(), new URL(ctx.url, this.#back), {
        pkceCodeVerifier: verifier,
        expectedState: state,
        idTokenExpected: true,
      });
      const { email, name, exp } = tokens.claims()! as oidc.IDToken & { email: string; name: string };
      const known = this.#setup.people.find((one) => one.email === email);
      const key = randomBytes(24).toString('base64url');
      this.#sessions.set(key, {
        email,
        name,
        company: known?.company ?? this.#setup.companies[0]!.id,
        isAdministrator: known?.isAdministrator === true,
        idToken: tokens.id_token!,
        endsAt: exp * 1000,
      });
      ctx.cookies.set(cookie, key, options);
      ctx.redirect(to);
    });
    router.get('/sign-out', (ctx: Context) => {
      this.#sessions.delete(ctx.cookies.get(cookie) ?? '');
      ctx.cookies.set(cookie, null);
      ctx.redirect('/');
    });
  }
}
