import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import Koa, { type Context } from 'koa';
import Router from '@koa/router';
import { Provider, type Interaction } from 'oidc-provider';
import { escapeHtml, page } from '../html.ts';
import { ScimPusher, type DirectoryGroup, type DirectoryPerson } from '../scim/index.ts';

const accent = '#4a5d3a';

export interface DirectoryOptions {
  readonly port: number;
  /** The service that people sign in to and are provisioned into. */
  readonly serviceUrl: string;
  readonly clientId: string;
  readonly clientSecret: string;
  readonly scimToken: string;
  readonly people: readonly DirectoryPerson[];
  readonly groups: readonly DirectoryGroup[];
  /** Other programs that people sign in to. */
  readonly programs?: readonly { readonly id: string; readonly secret: string; readonly backTo: string }[];
}

/**
 * A company's directory: an OpenID Connect provider that signs its people in, and the source of people and groups,
 * which it pushes by SCIM 2.0.
 */
export class Directory {
  readonly #options: DirectoryOptions;
  readonly #pusher: ScimPusher;
  readonly #inactive = new Set<string>();
  #server: Server | undefined;
  #issuer = '';

  constructor(options: DirectoryOptions) {
    this.#options = options;
    this.#pusher = new ScimPusher(options.serviceUrl, options.scimToken);
  }

  get issuer(): string {
    return this.#issuer;
  }

  async start(): Promise<string> {
    const server = createServer();
    this.#server = server;
    await new Promise<void>((resolve, reject) =>
      server.once('error', reject).listen(this.#options.port, '127.0.0.1', resolve),
    );
    this.#issuer = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    const provider = this.#makeProvider();
    const koa = new Koa();
    const router = this.#routes(provider);
    koa.use(router.routes());
    const [own, standard] = [koa.callback(), provider.callback()];
    // Its own pages first; everything else is the protocol.
    server.on('request', (request, response) =>
      /^\/($|\?|people|interaction)/.test(request.url ?? '') ? own(request, response) : standard(request, response),
    );
    return this.#issuer;
  }

  async stop(): Promise<void> {
    this.#server?.closeAllConnections();
    await new Promise((resolve) => this.#server?.close(resolve) ?? resolve(undefined));
  }

  /** Makes everyone known to the service; a second time changes nothing. */
  pushAll(): Promise<void> {
    return this.#pusher.pushAll(this.#options.people, this.#options.groups);
  }

  async setActive(email: string, isActive: boolean): Promise<void> {
    await this.#pusher.setActive(email, isActive);
    if (isActive) this.#inactive.delete(email);
    else this.#inactive.add(email);
  }

  #makeProvider(): Provider {
    const { clientId, clientSecret, serviceUrl, people } = this.#options;
    const provider = new Provider(this.#issuer, {
      clients: [
        {
          client_id: clientId,
          client_secret: clientSecret,
          redirect_uris: [`${serviceUrl}/sign-in/sso/callback`],
          response_types: ['code'],
          grant_types: ['authorization_code'],
        },
        ...(this.#options.programs ?? []).map(({ id, secret, backTo }) => ({
          client_id: id,
          client_secret: secret,
          redirect_uris: [backTo],
          response_types: ['code' as const],
          grant_types: ['authorization_code' as const],
        })),
      ],
      pkce: { required: () => true },
      claims: { openid: ['sub'], email: ['email', 'email_verified'], profile: ['name'] },
      conformIdTokenClaims: false,
      features: { devInteractions: { enabled: false } },
      interactions: { url: (_: unknown, interaction: Interaction) => `/interaction/${interaction.uid}` },
      cookies: { keys: [clientSecret] },
      findAccount: (_: unknown, sub: string) => {
        const person = people.find((one) => one.id === sub);
        return (
          person && {
            accountId: sub,
            claims: () => ({ sub, email: person.email, email_verified: true, name: person.name }),
          }
        );
      },
      // Whoever signs in here has agreed that the company's own service learns the address.
      loadExistingGrant: async (ctx) => {
        const grant = new ctx.oidc.provider.Grant({
          clientId: ctx.oidc.client!.clientId,
          accountId: ctx.oidc.session!.accountId!,
        });
        grant.addOIDCScope('openid email profile');
        await grant.save();
        return grant;
      },
    });
    provider.on('server_error', (_, error) => process.stderr.write(`directory: ${error.message}\n`));
    return provider;
  }

  #routes(provider: Provider): Router {
    const { people } = this.#options;
    const router = new Router();
    router.get('/interaction/:uid', (ctx: Context & { params: { uid: string } }) => {
      const choices = people
        .filter((one) => !this.#inactive.has(one.email))
        .map(
          (one) =>
            `<li><form method="post" action="/interaction/${escapeHtml(ctx.params.uid)}/${escapeHtml(one.id)}"><button>${escapeHtml(one.name)}</button> <span class="quiet">${escapeHtml(one.email)}</span></form></li>`,
        );
      ctx.type = 'html';
      ctx.body = page(
        'Skerrow identity provider',
        `<header><b>Skerrow identity provider</b></header><main><p>Select a user (demo sign-in).</p><ul>${choices.join('')}</ul></main>`,
        accent,
      );
    });
    router.post('/interaction/:uid/:account', async (ctx: Context & { params: { account: string } }) => {
      const person = people.find((one) => one.id === ctx.params.account && !this.#inactive.has(one.email));
      const result = person
        ? { login: { accountId: person.id } }
        : { error: 'access_denied', error_description: 'this user is deactivated' };
      await provider.interactionFinished(ctx.req, ctx.res, result, { mergeWithLastSubmission: false });
      ctx.respond = false;
    });
    router.get('/', (ctx: Context) => this.#showPeople(ctx));
    router.post('/people/:id/:state', async (ctx: Context & { params: { id: string; state: string } }) => {
      const person = people.find((one) => one.id === ctx.params.id);
      if (person) await this.setActive(person.email, ctx.params.state === 'active');
      ctx.redirect('/');
    });
    return router;
  }

  #showPeople(ctx: Context): void {
    const rows = this.#options.people.map((one) => {
      const isActive = !this.#inactive.has(one.email);
      const other = isActive ? 'left' : 'active';
      const attributes = one.attributes.map(({ name, value }) => `${name} ${value}`).join(', ');
      return `<tr><td>${escapeHtml(one.name)}</td><td>${escapeHtml(one.email)}</td><td>${escapeHtml(attributes)}</td><td>${isActive ? 'active' : 'deactivated'}</td><td><form method="post" action="/people/${one.id}/${other}"><button>${isActive ? 'Deactivate' : 'Reactivate'}</button></form></td></tr>`;
    });
    ctx.type = 'html';
    ctx.body = page(
      'Skerrow identity provider',
      `<header><b>Skerrow identity provider</b></header><main><table><thead><tr><th>Name</th><th>Email</th><th>Attributes</th><th>State</th><th></th></tr></thead><tbody>${rows.join('')}</tbody></table></main>`,
      accent,
    );
  }
}
