import type { Command } from 'commander';
import { tokenAlgorithms, type ShownClient, type ShownSigningKey } from '@underbell/core/token';
import { collect, readPairs } from '../platform/files.ts';
import { line, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

interface IssueOptions {
  readonly client: string;
  readonly report: string;
  readonly filter: string[];
  readonly param: string[];
  readonly page: string[];
  readonly user?: string;
  readonly lifetime?: string;
}

interface LimitOptions {
  readonly title?: string;
  readonly report: readonly string[];
  readonly action: readonly string[];
  readonly tokenLifetime?: string;
  readonly actForUsers?: boolean;
  readonly origin: readonly string[];
  readonly requireFilter: readonly string[];
  readonly requireDpop?: boolean;
  readonly idpClientId?: string;
}

/** The limits that were given. */
function limitsOf(options: LimitOptions) {
  const { report, action, tokenLifetime, actForUsers, origin, requireFilter, requireDpop, idpClientId } = options;
  return {
    ...(report.length > 0 ? { reports: report } : {}),
    ...(action.length > 0 ? { actions: action } : {}),
    ...(tokenLifetime === undefined ? {} : { maxLifetimeSeconds: Number(tokenLifetime) }),
    ...(actForUsers ? { mayNamePersons: true } : {}),
    ...(origin.length > 0 ? { origins: origin } : {}),
    ...(requireFilter.length > 0 ? { mustFilter: requireFilter } : {}),
    ...(requireDpop ? { requiresProof: true } : {}),
    ...(idpClientId === undefined ? {} : { directoryId: idpClientId }),
  };
}

function addTokens(program: Command): void {
  const token = program.command('token').description('Access tokens');
  token
    .command('issue')
    .description('Issue a token for a client')
    .requiredOption('--client <id>', 'client')
    .requiredOption('--report <name>', 'report')
    .option('--filter <dataset=filter>', 'CQL2 filter of a dataset; repeatable', collect, [])
    .option('--param <name=value>', 'fixed parameter; repeatable', collect, [])
    .option('--page <page>', 'allowed page; repeatable', collect, [])
    .option('--user <email>', 'user for whom the client acts')
    .option('--lifetime <seconds>', 'lifetime in seconds')
    .addHelpText(
      'after',
      '\nExample:\n  underbell token issue --client harbour-portal --report quay-punctuality --filter "sailings=quay_id = \'Q017\'"',
    )
    .action(async (options: IssueOptions, command: Command) => {
      const { client, report, user: person, lifetime } = options;
      const body = {
        client,
        report,
        person,
        ...(options.page.length > 0 ? { pages: options.page } : {}),
        ...(options.filter.length > 0 ? { where: readPairs(options.filter, '--filter') } : {}),
        ...(options.param.length > 0 ? { parameters: readPairs(options.param, '--param') } : {}),
        ...(lifetime === undefined ? {} : { lifetimeSeconds: Number(lifetime) }),
      };
      const minted = await callApi<{ access_token: string; expires_in: number }>('POST', '/api/v1/tokens', { body });
      show(command, minted, (answer) => line(answer.access_token));
    });
  token
    .command('list')
    .description('List tokens, newest first')
    .option('--valid', 'only tokens that are valid')
    .action(async (options: { valid?: true }, command: Command) => {
      type Shown = {
        id: string;
        clientId: string;
        details: { report: string; where?: Record<string, string> };
        expiresAt: string;
        revokedAt: string | null;
      };
      const tokens: Shown[] = [];
      for (let after: string | undefined; ;) {
        const page = await callApi<{ tokens: Shown[]; next?: string }>('GET', '/api/v1/tokens', {
          query: { after, living: options.valid },
        });
        tokens.push(...page.tokens);
        after = page.next;
        if (after === undefined) break;
      }
      const answer = { tokens };
      show(command, answer, ({ tokens: found }) => {
        table(found, [
          { heading: 'token', cell: (one) => one.id },
          { heading: 'client', cell: (one) => one.clientId },
          { heading: 'report', cell: (one) => one.details.report },
          { heading: 'filter', cell: (one) => Object.values(one.details.where ?? {}).join('; ') },
          {
            heading: 'state',
            cell: (one) =>
              one.revokedAt
                ? 'revoked'
                : Date.parse(one.expiresAt) < Date.now()
                  ? 'expired'
                  : `until ${one.expiresAt.slice(11, 19)}`,
          },
        ]);
      });
    });
  token
    .command('revoke <id>')
    .description('Revoke a token')
    .action(async (id: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/tokens/${encodeURIComponent(id)}`);
      show(command, { revoked: id }, () => line(`Token “${id}” revoked.`));
    });
}

function addSigningKeys(program: Command): void {
  const keys = program.command('signing-key').description('Signing keys of access tokens (administrators)');
  keys
    .command('list')
    .description('List signing keys, newest first')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ keys: ShownSigningKey[] }>('GET', '/api/v1/signing-keys');
      show(command, answer, ({ keys: all }) =>
        table(all, [
          { heading: 'key', cell: (one) => one.id },
          { heading: 'algorithm', cell: (one) => one.algorithm },
          { heading: 'signs', cell: (one) => (one.isSigning ? 'yes' : 'no') },
          { heading: 'created', cell: (one) => shortTime(one.createdAt) },
          { heading: 'verifies until', cell: (one) => (one.retiredAt ? shortTime(one.retiredAt) : '') },
        ]),
      );
    });
  keys
    .command('create')
    .description('Create a signing key; earlier keys verify for one more day')
    .option('--algorithm <name>', tokenAlgorithms.join(', '))
    .action(async (options: { algorithm?: string }, command: Command) => {
      const made = await callApi<{ id: string; signsFrom: string }>('POST', '/api/v1/signing-keys', {
        body: { algorithm: options.algorithm },
      });
      show(command, made, ({ id, signsFrom }) =>
        line(`Signing key “${id}” created. It signs from ${shortTime(signsFrom)}.`),
      );
    });
  keys
    .command('delete <key>')
    .description('Delete a signing key; its tokens stop working at once')
    .action(async (id: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/signing-keys/${encodeURIComponent(id)}`);
      show(command, { deleted: id }, () => line(`Signing key “${id}” deleted.`));
    });
}

export function addTokenCommands(program: Command): void {
  addTokens(program);
  addSigningKeys(program);
  const client = program.command('client').description('OAuth clients');
  client
    .command('list')
    .description('List clients')
    .action(async (_options, command: Command) => {
      type Shown = {
        id: string;
        title: string;
        reports: string[];
        actions: string[];
        maxLifetimeSeconds: number;
        state: string;
      };
      const answer = await callApi<{ clients: Shown[] }>('GET', '/api/v1/clients');
      show(command, answer, ({ clients }) => {
        table(clients, [
          { heading: 'client', cell: (one) => one.id },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'reports', cell: (one) => one.reports.join(', ') },
          { heading: 'actions', cell: (one) => one.actions.join(', ') },
          { heading: 'token lifetime', cell: (one) => `${one.maxLifetimeSeconds} s` },
          { heading: 'state', cell: (one) => one.state },
        ]);
      });
    });
  client
    .command('show <id>')
    .description('Show a client')
    .action(async (id: string, _options, command: Command) => {
      const answer = await callApi<ShownClient>('GET', `/api/v1/clients/${encodeURIComponent(id)}`);
      show(command, answer, (one) => {
        line(`${one.id}: ${one.title} (${one.state}), signs in ${one.signsIn}`);
        line(
          `reports: ${one.reports.join(', ')}; actions: ${one.actions.join(', ')}; token lifetime: ${one.maxLifetimeSeconds} s`,
        );
        line(one.mayNamePersons ? 'acts for users' : 'acts as itself');
        if (one.origins?.length) line(`allowed origins: ${one.origins.join(', ')}`);
        if (one.mustFilter?.length) line(`required filters: ${one.mustFilter.join(', ')}`);
        if (one.requiresProof) line('tokens are DPoP-bound');
        if (one.directoryId !== undefined) line(`exchanges ID tokens of “${one.directoryId}”`);
        if (one.formerUntil) line(`previous secret valid until ${one.formerUntil}`);
      });
    });
  const create = client
    .command('create <id>')
    .description('Register a client (the secret is shown once)')
    .requiredOption('--title <title>', 'title')
    .requiredOption('--report <name>', 'report it can request; repeatable', collect, [])
    .action(async (id: string, options: LimitOptions, command: Command) => {
      const answer = await callApi<{ id: string; secret: string }>('POST', '/api/v1/clients', {
        body: { id, title: options.title, ...limitsOf(options) },
      });
      show(command, answer, ({ secret }) => {
        line(`client: ${id}`);
        line(`secret: ${secret}   (shown only once)`);
      });
    });
  const update = client
    .command('update <id>')
    .description('Change the limits of a client')
    .option('--title <title>', 'title')
    .option('--report <name>', 'reports it can request, replacing the earlier ones; repeatable', collect, [])
    .action(async (id: string, options: LimitOptions, command: Command) => {
      const path = `/api/v1/clients/${encodeURIComponent(id)}`;
      const {
        id: _id,
        state: _state,
        signsIn: _signsIn,
        formerUntil: _until,
        ...known
      } = await callApi<ShownClient>('GET', path);
      const body = { ...known, ...(options.title ? { title: options.title } : {}), ...limitsOf(options) };
      const answer = await callApi<{ id: string }>('PUT', path, { body });
      show(command, answer, () => line(`Client “${id}” updated.`));
    });
  for (const one of [create, update])
    one
      .option('--action <action>', 'view or export; repeatable', collect, [])
      .option('--token-lifetime <seconds>', 'maximum lifetime of its tokens')
      .option('--act-for-users', 'tokens may name a user (administrators)')
      .option('--origin <origin>', 'allowed origin; repeatable', collect, [])
      .option('--require-filter <key>', 'shared key that every token must filter; repeatable', collect, [])
      .option('--require-dpop', 'bind tokens to a key (DPoP)')
      .option('--idp-client-id <id>', 'client ID at the identity provider, for token exchange');
  client
    .command('rotate-secret <id>')
    .description('Create a new secret for a client')
    .option('--keep-previous-hours <number>', 'hours that the previous secret stays valid', '24')
    .action(async (id: string, options: { keepPreviousHours: string }, command: Command) => {
      type Renewed = { secret: string; formerUntil: string };
      const path = `/api/v1/clients/${encodeURIComponent(id)}/rotate-secret`;
      const answer = await callApi<Renewed>('POST', path, { body: { hours: Number(options.keepPreviousHours) } });
      show(command, answer, ({ secret, formerUntil }) => {
        line(`secret: ${secret}   (shown only once)`);
        line(`The previous secret is valid until ${formerUntil}.`);
      });
    });
  client
    .command('revoke <id>')
    .description('Revoke a client and its tokens')
    .action(async (id: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/clients/${encodeURIComponent(id)}`);
      show(command, { revoked: id }, () => line(`Client “${id}” and its tokens revoked.`));
    });
}
