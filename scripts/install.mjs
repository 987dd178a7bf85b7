// Installs what a fresh machine lacks. Plain JavaScript: it runs before any package is there.
import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const isRoot = process.getuid?.() === 0;

function fail(message) {
  process.stderr.write(`${message}\n`);
  process.exit(1);
}

function run(command, args, options = {}) {
  const result = spawnSync(command, args, { stdio: ['ignore', 'pipe', 'pipe'], encoding: 'utf8', ...options });
  if (result.status === 0) return;
  const said = `${result.stdout ?? ''}${result.stderr ?? ''}`.trim().split('\n').slice(-12).join('\n');
  fail(`\`${command} ${args.join(' ')}\` failed:\n${said || result.error?.message}`);
}

/** npm packages, exactly as locked; skipped when nothing changed since the last time. */
export function installPackages() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19))
    fail(`Under Bell needs Node.js 20.19 or newer; this is ${process.versions.node}.`);
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const mark = join(root, 'node_modules', '.underbell-lock');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return;
  process.stdout.write('Installing npm packages …\n');
  run('npm', ['ci', '--no-audit', '--no-fund'], { cwd: root });
  writeFileSync(mark, lock);
}

function aptInstall(packages, before = () => undefined) {
  const line = `apt-get install -y --no-install-recommends ${packages.join(' ')}`;
  if (!isRoot) fail(`${packages.join(', ')} is missing. Install it and start again:\n\n  sudo ${line}\n`);
  if (spawnSync('apt-get', ['--version']).status !== 0)
    fail(`${packages.join(', ')} is missing, and this system has no apt-get; install it by its own means.`);
  process.stdout.write(`Installing ${packages.join(', ')} from Debian …\n`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  run('apt-get', ['update'], { env });
  before(env);
  run('apt-get', ['install', '-y', '--no-install-recommends', ...packages], { env });
}

/** The folder of PostgreSQL's server programs, the newest there is; undefined when there is none. */
export function findPostgres() {
  const base = '/usr/lib/postgresql';
  const versions = existsSync(base)
    ? readdirSync(base).filter((name) => existsSync(join(base, name, 'bin/initdb')))
    : [];
  const newest = versions.sort((a, b) => Number(b) - Number(a))[0];
  if (newest) return join(base, newest, 'bin');
  const found = spawnSync('sh', ['-c', 'command -v initdb'], { encoding: 'utf8' }).stdout.trim();
  return found ? dirname(found) : undefined;
}

export function installPostgres() {
  if (findPostgres()) return;
  aptInstall(['postgresql'], (env) => {
    // Debian would make and start a cluster on port 5432; ours is our own.
    run('apt-get', ['install', '-y', '--no-install-recommends', 'postgresql-common'], { env });
    const conf = '/etc/postgresql-common/createcluster.conf';
    if (existsSync(conf))
      execFileSync('sed', ['-i', 's/^#\\?create_main_cluster.*/create_main_cluster = false/', conf]);
  });
  if (!findPostgres()) fail('PostgreSQL was installed, but its server programs were not found.');
}

export const chromiumPath = '/usr/bin/chromium';

export function installChromium() {
  const missing = [];
  if (!existsSync(chromiumPath)) missing.push('chromium');
  if (!existsSync('/usr/bin/pdftotext')) missing.push('poppler-utils');
  if (!existsSync('/usr/bin/qpdf')) missing.push('qpdf');
  if (missing.length > 0) aptInstall(missing);
}

/** A proxy that ends TLS, behind which tests put the service. */
export function installProxy() {
  const missing = [];
  if (!existsSync('/usr/sbin/nginx')) missing.push('nginx-light');
  if (spawnSync('openssl', ['version']).error) missing.push('openssl');
  if (missing.length > 0) aptInstall(missing);
}

/** A spreadsheet program, by which tests see that others can open what is written. */
export function installSpreadsheet() {
  if (spawnSync('soffice', ['--version']).error) aptInstall(['libreoffice-calc-nogui']);
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) {
  installPackages();
  installPostgres();
  installChromium();
  installSpreadsheet();
  installProxy();
}
