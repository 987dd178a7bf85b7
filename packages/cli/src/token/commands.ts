import type { Command } from 'commander';
import { tokenAlgorithms, type ShownClient, type ShownSigningKey } from '@underbell/core/token';
import { collect, readPairs } from '../platform/files.ts';
import { line, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

interface MintOptions {
  readonly client: string;
  readonly report: string;
  readonly where: string[];
  readonly param: string[];
  readonly page: string[];
  readonly person?: string;
  readonly seconds?: string;
}

interface BoundOptions {
  readonly title?: string;
  readonly report: readonly string[];
  readonly action: readonly string[];
  readonly seconds?: string;
  readonly namesPersons?: boolean;
  readonly origin: readonly string[];
  readonly mustFilter: readonly string[];
  readonly requiresProof?: boolean;
  readonly directoryId?: string;
}

/** Bounds that were said; the others stay, or are as usual. */
function boundsOf(options: BoundOptions) {
  const { report, action, seconds, namesPersons, origin, mustFilter, requiresProof, directoryId } = options;
  return {
    ...(report.length > 0 ? { reports: report } : {}),
    ...(action.length > 0 ? { actions: action } : {}),
    ...(seconds === undefined ? {} : { maxLifetimeSeconds: Number(seconds) }),
    ...(namesPersons ? { mayNamePersons: true } : {}),
    ...(origin.length > 0 ? { origins: origin } : {}),
    ...(mustFilter.length > 0 ? { mustFilter } : {}),
    ...(requiresProof ? { requiresProof: true } : {}),
    ...(directoryId === undefined ? {} : { directoryId }),
  };
}

function addTokens(program: Command): void {
  const token = program.command('token').description('signed, narrow, revocable keys to view');
  token
    .command('mint')
    .description('mint an access token on behalf of a client, to try a placement')
    .requiredOption('--client <id>', 'the client')
    .requiredOption('--report <name>', 'the report')
    .option('--where <dataset=filter>', 'CQL2 text for a dataset; may be repeated', collect, [])
    .option('--param <name=value>', 'fix a parameter; may be repeated', collect, [])
    .option('--page <page>', 'only this page; may be repeated', collect, [])
    .option('--person <email>', 'the person for whom the token speaks')
    .option('--seconds <number>', 'how long it lives')
    .addHelpText(
      'after',
      '\nExample:\n  underbell token mint --client harbour-portal --report quay-punctuality --where "sailings=quay_id = \'Q017\'"',
    )
    .action(async (options: MintOptions, command: Command) => {
      const { client, report, person, seconds } = options;
      const body = {
        client,
        report,
        person,
        ...(options.page.length > 0 ? { pages: options.page } : {}),
        ...(options.where.length > 0 ? { where: readPairs(options.where, '--where') } : {}),
        ...(options.param.length > 0 ? { parameters: readPairs(options.param, '--param') } : {}),
        ...(seconds === undefined ? {} : { lifetimeSeconds: Number(seconds) }),
      };
      const minted = await callApi<{ access_token: string; expires_in: number }>('POST', '/api/v1/tokens', { body });
      show(command, minted, (answer) => line(answer.access_token));
    });
  token
    .command('list')
    .description('tokens to reports of yours, and those that you handed out, newest first')
    .option('--living', 'those that still count, alone')
    .action(async (options: { living?: true }, command: Command) => {
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
          query: { after, living: options.living },
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
    .description('take one token back, at once and everywhere')
    .action(async (id: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/tokens/${encodeURIComponent(id)}`);
      show(command, { revoked: id }, () => line(`The token ${id} is revoked.`));
    });
}

function addSigningKeys(program: Command): void {
  const keys = program
    .command('signing-key')
    .description('the keys that access tokens are signed with (administrators)');
  keys
    .command('list')
    .description('list the keys, the newest first')
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
    .description('create a key; it signs a minute later, and the ones before it verify for one more day')
    .option('--algorithm <name>', `one of ${tokenAlgorithms.join(', ')}`)
    .action(async (options: { algorithm?: string }, command: Command) => {
      const made = await callApi<{ id: string; signsFrom: string }>('POST', '/api/v1/signing-keys', {
        body: { algorithm: options.algorithm },
      });
      show(command, made, ({ id, signsFrom }) => line(`The key ${id} signs from ${shortTime(signsFrom)} on.`));
    });
  keys
    .command('delete <key>')
    .description('delete a key; every token that it signed stops working at once')
    .action(async (id: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/signing-keys/${encodeURIComponent(id)}`);
      show(command, { deleted: id }, () => line(`The key ${id} is deleted.`));
    });
}

export function addTokenCommands(program: Command): void {
  addTokens(program);
  addSigningKeys(program);
  const client = program.command('client').description('programs that may ask for access tokens');
  client
    .command('list')
    .description('the clients that reach reports of yours')
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
          { heading: 'may', cell: (one) => one.actions.join(', ') },
          { heading: 'longest', cell: (one) => `${one.maxLifetimeSeconds} s` },
          { heading: 'state', cell: (one) => one.state },
        ]);
      });
    });
  client
    .command('show <id>')
    .description('a client with its bounds')
    .action(async (id: string, _options, command: Command) => {
      const answer = await callApi<ShownClient>('GET', `/api/v1/clients/${encodeURIComponent(id)}`);
      show(command, answer, (one) => {
        line(`${one.id}: ${one.title} (${one.state}), signs in ${one.signsIn}`);
        line(
          `reports: ${one.reports.join(', ')}; may ${one.actions.join(', ')}, for ${one.maxLifetimeSeconds} s at most`,
        );
        line(one.mayNamePersons ? 'speaks for people' : 'speaks for nobody but itself');
        if (one.origins?.length) line(`shown in pages of ${one.origins.join(', ')}`);
        if (one.mustFilter?.length) line(`every token must fix ${one.mustFilter.join(', ')}`);
        if (one.requiresProof) line('its tokens are bound to a key (DPoP)');
        if (one.directoryId !== undefined) line(`exchanges ID tokens that the directory gave \`${one.directoryId}\``);
        if (one.formerUntil) line(`the secret before holds until ${one.formerUntil}`);
      });
    });
  const add = client
    .command('add <id>')
    .description('register a client under a name that none has; its secret is shown once')
    .requiredOption('--title <title>', 'what people read')
    .requiredOption('--report <name>', 'a report it may ask for; may be repeated', collect, [])
    .action(async (id: string, options: BoundOptions, command: Command) => {
      const answer = await callApi<{ id: string; secret: string }>('POST', '/api/v1/clients', {
        body: { id, title: options.title, ...boundsOf(options) },
      });
      show(command, answer, ({ secret }) => {
        line(`client: ${id}`);
        line(`secret: ${secret}   (shown only now)`);
      });
    });
  const change = client
    .command('change <id>')
    .description('change the bounds of a client; its secret stays')
    .option('--title <title>', 'what people read')
    .option('--report <name>', 'the reports it may ask for, in place of those before; may be repeated', collect, [])
    .action(async (id: string, options: BoundOptions, command: Command) => {
      const path = `/api/v1/clients/${encodeURIComponent(id)}`;
      const {
        id: _id,
        state: _state,
        signsIn: _signsIn,
        formerUntil: _until,
        ...known
      } = await callApi<ShownClient>('GET', path);
      const body = { ...known, ...(options.title ? { title: options.title } : {}), ...boundsOf(options) };
      const answer = await callApi<{ id: string }>('PUT', path, { body });
      show(command, answer, () => line(`The client ${id} is changed; its secret stays.`));
    });
  for (const one of [add, change])
    one
      .option('--action <action>', 'what its tokens may: view, export; may be repeated', collect, [])
      .option('--seconds <number>', 'the longest life of its tokens')
      .option('--names-persons', 'its tokens may speak for people; an administrator gives this')
      .option('--origin <origin>', 'a page that may show its tokens, https://…; may be repeated', collect, [])
      .option('--must-filter <key>', 'a key that every token must fix; may be repeated', collect, [])
      .option('--requires-proof', 'its tokens are bound to a key (DPoP)')
      .option('--directory-id <name>', 'by which the common directory knows it: ID tokens for it are exchanged');
  client
    .command('secret <id>')
    .description('give a client a new secret; the one before holds beside it for a while')
    .option('--hours <number>', 'how long the one before holds; 0 ends it at once', '24')
    .action(async (id: string, options: { hours: string }, command: Command) => {
      type Renewed = { secret: string; formerUntil: string };
      const path = `/api/v1/clients/${encodeURIComponent(id)}/secret`;
      const answer = await callApi<Renewed>('POST', path, { body: { hours: Number(options.hours) } });
      show(command, answer, ({ secret, formerUntil }) => {
        line(`secret: ${secret}   (shown only now)`);
        line(`The one before holds until ${formerUntil}.`);
      });
    });
  client
    .command('remove <id>')
    .description('remove a client; its tokens end at once')
    .action(async (id: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/clients/${encodeURIComponent(id)}`);
      show(command, { removed: id }, () => line(`The client ${id} is removed; its tokens have ended.`));
    });
}
