import type { Command } from 'commander';
import { collect, readPairs } from '../platform/files.ts';
import { line, show, table } from '../platform/output.ts';
import { askService } from '../platform/service.ts';

interface MintOptions {
  readonly client: string;
  readonly report: string;
  readonly where: string[];
  readonly param: string[];
  readonly page: string[];
  readonly person?: string;
  readonly seconds?: string;
}

interface AddOptions {
  readonly title: string;
  readonly report: string[];
  readonly seconds: string;
  readonly namesPersons: boolean;
}

function addTokenCommands(program: Command): void {
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
      const minted = await askService<{ access_token: string; expires_in: number }>('POST', '/api/v1/tokens', { body });
      show(command, minted, (answer) => line(answer.access_token));
    });
  token
    .command('list')
    .description('the newest tokens that were handed out')
    .action(async (_options, command: Command) => {
      type Shown = {
        id: string;
        clientId: string;
        details: { report: string; where?: Record<string, string> };
        expiresAt: string;
        revokedAt: string | null;
      };
      const answer = await askService<{ tokens: Shown[] }>('GET', '/api/v1/tokens');
      show(command, answer, ({ tokens }) => {
        table(tokens, [
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
      await askService('DELETE', `/api/v1/tokens/${encodeURIComponent(id)}`);
      show(command, { revoked: id }, () => line(`The token ${id} is revoked.`));
    });
}

export function addOauthCommands(program: Command): void {
  addTokenCommands(program);
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
      const answer = await askService<{ clients: Shown[] }>('GET', '/api/v1/clients');
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
    .command('add <id>')
    .description('register a client; its secret is shown once')
    .requiredOption('--title <title>', 'what people read')
    .requiredOption('--report <name>', 'a report it may ask for; may be repeated', collect, [])
    .option('--seconds <number>', 'the longest life of its tokens', '3600')
    .option('--names-persons', 'its tokens may speak for people; an administrator gives this', false)
    .action(async (id: string, options: AddOptions, command: Command) => {
      const body = {
        title: options.title,
        reports: options.report,
        maxLifetimeSeconds: Number(options.seconds),
        mayNamePersons: options.namesPersons,
      };
      const answer = await askService<{ id: string; secret: string }>(
        'PUT',
        `/api/v1/clients/${encodeURIComponent(id)}`,
        { body },
      );
      show(command, answer, ({ secret }) => {
        line(`client: ${id}`);
        line(`secret: ${secret}   (shown only now)`);
      });
    });
  client
    .command('remove <id>')
    .description('remove a client; its tokens end at once')
    .action(async (id: string, _options, command: Command) => {
      await askService('DELETE', `/api/v1/clients/${encodeURIComponent(id)}`);
      show(command, { removed: id }, () => line(`The client ${id} is removed; its tokens have ended.`));
    });
}
