import type { ShownPerson } from '@underbell/core/access';
import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import type { Command } from 'commander';
import { dropCredentials, saveCredentials, serviceUrl } from '../platform/credentials.ts';
import { line, show } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

interface PasswordQuestion {
  readonly prompt: string;
  /** Environment variable that holds the password where nobody is asked. */
  readonly variable: string;
}

const ownPassword: PasswordQuestion = { prompt: 'Password', variable: 'UNDERBELL_PASSWORD' };

/** Asks for passwords without showing them; from a pipe each is a line, in the order of the questions. */
async function askPasswords(questions: readonly PasswordQuestion[]): Promise<string[]> {
  const { isTTY } = process.stdin;
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  const asker = createInterface({ input: process.stdin, output: silent, terminal: isTTY });
  const lines = asker[Symbol.asyncIterator]();
  const ask = async ({ prompt, variable }: PasswordQuestion): Promise<string> => {
    const known = process.env[variable];
    if (known) return known;
    if (isTTY) process.stderr.write(`${prompt}: `);
    const line = await lines.next();
    if (isTTY) process.stderr.write('\n');
    if (line.done || line.value === '')
      throw localProblem('INPUT_INVALID', `There is no ${prompt.toLowerCase()}.`, {
        hint: `Type it when you are asked, set ${variable}, or write one line for each password to standard input.`,
      });
    return line.value;
  };
  try {
    const passwords = [];
    for (const question of questions) passwords.push(await ask(question));
    return passwords;
  } finally {
    asker.close();
  }
}

const askPassword = async (): Promise<string> => (await askPasswords([ownPassword]))[0]!;

async function signIn(email: string, password: string): Promise<{ person: ShownPerson }> {
  const { key, person } = await callApi<{ key: string; person: ShownPerson }>('POST', '/api/v1/session', {
    isAnonymous: true,
    body: { email, password, kind: 'command line' },
  });
  saveCredentials({ url: serviceUrl(), key, email });
  return { person };
}

const passwordHelp = '\nThe password is asked for, or read from UNDERBELL_PASSWORD or standard input.';

export function addSessionCommands(program: Command): void {
  program
    .command('sign-in <email>')
    .description('Sign in')
    .option('--url <url>', 'URL of the service')
    .addHelpText('after', passwordHelp)
    .action(async (email: string, options: { url?: string }, command: Command) => {
      if (options.url) process.env['UNDERBELL_URL'] = options.url;
      const password = await askPassword();
      show(command, await signIn(email, password), ({ person }) => line(`Signed in as ${person.name}.`));
    });
  program
    .command('setup <email>')
    .description('Create the first administrator (needs the one-time code)')
    .requiredOption('--code <code>', 'one-time code that the start command printed')
    .requiredOption('--name <name>', 'name of the user')
    .option('--url <url>', 'URL of the service')
    .addHelpText('after', `${passwordHelp} It has 12 characters or more.`)
    .action(async (email: string, options: { code: string; name: string; url?: string }, command: Command) => {
      if (options.url) process.env['UNDERBELL_URL'] = options.url;
      const password = await askPassword();
      const { code, name } = options;
      await callApi('POST', '/api/v1/setup', { isAnonymous: true, body: { code, email, name, password } });
      const answer = await signIn(email, password);
      show(command, answer, ({ person }) => line(`Administrator “${person.name}” created and signed in.`));
    });
  program
    .command('sign-out')
    .description('Sign out')
    .action(async (_options, command: Command) => {
      await callApi('DELETE', '/api/v1/session');
      dropCredentials();
      show(command, { signedOut: true }, () => line('Signed out.'));
    });
  program
    .command('password')
    .description('Change your password; all other sessions end')
    .addHelpText(
      'after',
      '\nThe current and the new password are asked for, or read from UNDERBELL_PASSWORD and UNDERBELL_NEW_PASSWORD,\nor from two lines of standard input.',
    )
    .action(async (_options, command: Command) => {
      const { person } = await callApi<{ person: ShownPerson }>('GET', '/api/v1/session');
      const [current, password] = (await askPasswords([
        { ...ownPassword, prompt: 'Current password' },
        { prompt: 'New password', variable: 'UNDERBELL_NEW_PASSWORD' },
      ])) as [string, string];
      await callApi('PUT', '/api/v1/session/password', { body: { current, password } });
      show(command, await signIn(person.email, password), () => line('Password changed.'));
    });
  program
    .command('whoami')
    .description('Show the signed-in user, groups and attributes')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ person: ShownPerson }>('GET', '/api/v1/session');
      show(command, answer, ({ person }) => {
        line(`${person.name} <${person.email}>${person.isAdministrator ? ', administrator' : ''}`);
        if (person.groups.length > 0) line(`groups: ${person.groups.join(', ')}`);
        for (const [name, values] of Object.entries(person.attributes)) line(`${name}: ${values.join(', ')}`);
      });
    });
}
