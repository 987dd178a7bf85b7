import type { ShownPerson } from '@underbell/core/access';
import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import type { Command } from 'commander';
import { dropCredentials, saveCredentials, serviceUrl } from '../platform/credentials.ts';
import { line, show } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { askService } from '../platform/service.ts';

/** Asks for a password without showing it; from a pipe it is the first line. @param variable - holds it where nobody is asked */
async function askPassword(prompt = 'Password', variable = 'UNDERBELL_PASSWORD'): Promise<string> {
  const given = process.env[variable];
  if (given) return given;
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  if (process.stdin.isTTY) process.stderr.write(`${prompt}: `);
  const asker = createInterface({ input: process.stdin, output: silent, terminal: process.stdin.isTTY });
  try {
    for await (const text of asker) return text;
    throw localProblem('INPUT_INVALID', 'no password was given');
  } finally {
    asker.close();
    if (process.stdin.isTTY) process.stderr.write('\n');
  }
}

async function signIn(email: string, password: string): Promise<{ person: ShownPerson }> {
  const { key, person } = await askService<{ key: string; person: ShownPerson }>('POST', '/api/v1/session', {
    isAnonymous: true,
    body: { email, password, kind: 'command line' },
  });
  saveCredentials({ url: serviceUrl(), key, email });
  return { person };
}

export function addSessionCommands(program: Command): void {
  program
    .command('sign-in <email>')
    .description('sign in; the password is asked for, or read from UNDERBELL_PASSWORD or standard input')
    .option('--url <url>', 'address of the service')
    .action(async (email: string, options: { url?: string }, command: Command) => {
      if (options.url) process.env['UNDERBELL_URL'] = options.url;
      const password = await askPassword();
      show(command, await signIn(email, password), ({ person }) => line(`Signed in as ${person.name}.`));
    });
  program
    .command('setup <email>')
    .description('make the first administrator of an empty installation, with the code that its start printed')
    .requiredOption('--code <code>', 'the one-time code')
    .requiredOption('--name <name>', 'what people read')
    .option('--url <url>', 'address of the service')
    .addHelpText(
      'after',
      '\nThe password, 12 characters or more, is asked for, or read from UNDERBELL_PASSWORD or standard input.',
    )
    .action(async (email: string, options: { code: string; name: string; url?: string }, command: Command) => {
      if (options.url) process.env['UNDERBELL_URL'] = options.url;
      const password = await askPassword();
      const { code, name } = options;
      await askService('POST', '/api/v1/setup', { isAnonymous: true, body: { code, email, name, password } });
      const answer = await signIn(email, password);
      show(command, answer, ({ person }) => line(`${person.name} is the administrator, and signed in.`));
    });
  program
    .command('sign-out')
    .description('end the session')
    .action(async (_options, command: Command) => {
      await askService('DELETE', '/api/v1/session');
      dropCredentials();
      show(command, { signedOut: true }, () => line('Signed out.'));
    });
  program
    .command('password')
    .description('change your own password; all other sessions end')
    .addHelpText(
      'after',
      '\nBoth are asked for, or read from UNDERBELL_PASSWORD (the current one) and UNDERBELL_NEW_PASSWORD.',
    )
    .action(async (_options, command: Command) => {
      const { person } = await askService<{ person: ShownPerson }>('GET', '/api/v1/session');
      const current = await askPassword('Current password');
      const password = await askPassword('New password', 'UNDERBELL_NEW_PASSWORD');
      await askService('PUT', '/api/v1/session/password', { body: { current, password } });
      show(command, await signIn(person.email, password), () => line('The password is changed.'));
    });
  program
    .command('whoami')
    .description('who is signed in, with groups and attributes')
    .action(async (_options, command: Command) => {
      const answer = await askService<{ person: ShownPerson }>('GET', '/api/v1/session');
      show(command, answer, ({ person }) => {
        line(`${person.name} <${person.email}>${person.isAdministrator ? ', administrator' : ''}`);
        if (person.groups.length > 0) line(`groups: ${person.groups.join(', ')}`);
        for (const [name, values] of Object.entries(person.attributes)) line(`${name}: ${values.join(', ')}`);
      });
    });
}
