import { existsSync, readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type Koa from 'koa';
import { WorksApp, type WorksSetup } from './app/index.ts';
import { ChatHost, furnish, type ChatUser, type FirstTeam, type Registration } from './chat/index.ts';
import { Directory, type DirectoryOptions } from './directory/index.ts';
import { LibraryHost } from './library/index.ts';
import { createMailboxPages, MailHost } from './mail/index.ts';
import { playDevices } from './screen/index.ts';
import { createPortal, type PortalSetup } from './portal/index.ts';

function setting(name: string): string {
  const value = process.env[name];
  if (!value) throw new Error(`the setting ${name} is missing`);
  return value;
}

function serve(koa: Koa, port: number): Promise<void> {
  return new Promise((resolve, reject) => {
    createServer(koa.callback()).once('error', reject).listen(port, '127.0.0.1', resolve);
  });
}

/** Somebody whose mail is taken and comes back. */
const leftAddress = 'thea.nesbit.q031@skerrow.example';

interface ChatSetup {
  readonly serverName: string;
  readonly users: readonly ChatUser[];
  readonly teams: readonly FirstTeam[];
  readonly registration: Registration;
}

async function startChat(): Promise<void> {
  const file = setting('STANDIN_CHAT_FILE');
  if (!existsSync(file)) return;
  const { serverName, users, teams, registration } = JSON.parse(readFileSync(file, 'utf8')) as ChatSetup;
  const chat = new ChatHost({
    port: Number(setting('STANDIN_CHAT_PORT')),
    serverName,
    users,
    password: 'lantern-quay-7',
    file: setting('STANDIN_CHAT_EVENTS'),
    app: { title: 'Under Bell', url: `${setting('STANDIN_UNDERBELL_URL')}/h/skerrow` },
  });
  await chat.start();
  chat.register(registration);
  furnish(chat, teams);
}

/** What the app is given, but for what only the start command knows. */
type WorksFile = Omit<WorksSetup, 'port' | 'underBellUrl' | 'directory'>;

const appOfFile = (): WorksFile | undefined => {
  const file = setting('STANDIN_APP_FILE');
  return existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as WorksFile) : undefined;
};

/** The outside world of the demo, in one process. */
async function main(): Promise<void> {
  const host = new MailHost({
    port: Number(setting('STANDIN_SMTP_PORT')),
    folder: setting('STANDIN_MAIL_FOLDER'),
    bounceListenUrl: setting('STANDIN_BOUNCES_AT'),
    bounces: (address) => (address === leftAddress ? 'the owner of this mailbox has left' : undefined),
  });
  await host.start();
  await serve(createMailboxPages(host), Number(setting('STANDIN_MAILBOX_PORT')));
  const library = new LibraryHost({
    port: Number(setting('STANDIN_LIBRARY_PORT')),
    folder: setting('STANDIN_LIBRARY_FOLDER'),
    user: 'reports',
    password: setting('STANDIN_LIBRARY_PASSWORD'),
  });
  await library.start();
  const file = setting('STANDIN_PORTAL_FILE');
  if (existsSync(file)) {
    const setup = JSON.parse(readFileSync(file, 'utf8')) as PortalSetup;
    await serve(createPortal(setup, setting('STANDIN_UNDERBELL_URL')), Number(setting('STANDIN_PORTAL_PORT')));
  }
  const app = appOfFile();
  const appPort = Number(setting('STANDIN_APP_PORT'));
  const program = {
    id: 'works-app',
    secret: setting('STANDIN_APP_SECRET'),
    backTo: `http://127.0.0.1:${appPort}/sign-in/back`,
  };
  const directoryFile = setting('STANDIN_DIRECTORY_FILE');
  if (existsSync(directoryFile)) {
    const people = JSON.parse(readFileSync(directoryFile, 'utf8')) as Pick<DirectoryOptions, 'people' | 'groups'>;
    const directory = new Directory({
      port: Number(setting('STANDIN_DIRECTORY_PORT')),
      serviceUrl: setting('STANDIN_UNDERBELL_URL'),
      clientId: setting('UNDERBELL_OIDC_CLIENT_ID'),
      clientSecret: setting('UNDERBELL_OIDC_CLIENT_SECRET'),
      scimToken: setting('UNDERBELL_SCIM_TOKEN'),
      ...people,
      programs: app ? [program] : [],
    });
    const issuer = await directory.start();
    if (app) {
      const { id, secret } = program;
      const underBellUrl = setting('STANDIN_UNDERBELL_URL');
      await new WorksApp({ ...app, port: appPort, underBellUrl, directory: { issuer, id, secret } }).start();
    }
  }
  await startChat();
  const screens = setting('STANDIN_SCREENS_FILE');
  const say = (text: string) => void process.stdout.write(`stand-ins: ${text}\n`);
  // The service starts beside: nothing waits for them to find it.
  if (existsSync(screens))
    playDevices(screens, setting('STANDIN_UNDERBELL_URL'), say).catch((error: Error) => say(error.message));
  process.send?.({ isReady: true });
}

const leave = () => process.exit(0);
process.on('SIGTERM', leave);
process.on('disconnect', leave);
main().catch((error: Error) => {
  process.stderr.write(`stand-ins: ${error.message}\n`);
  process.send?.({ isReady: false, message: error.message });
  process.exit(1);
});
