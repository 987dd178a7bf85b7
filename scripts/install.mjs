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

const hasFile = (path) => () => existsSync(path);
const hasProgram = (name) => () => !spawnSync(name, ['--version']).error;

export const chromiumPath = '/usr/bin/chromium';

/** Debian's packages that something here starts, with how each is found. */
const packages = {
  postgresql: () => findPostgres() !== undefined,
  /** Reads the videos that screens show. */
  ffmpeg: hasProgram('ffmpeg'),
  chromium: hasFile(chromiumPath),
  'poppler-utils': hasFile('/usr/bin/pdftotext'),
  /** Opens the archives that are written, as others do. */
  unzip: hasFile('/usr/bin/unzip'),
  qpdf: hasFile('/usr/bin/qpdf'),
  /** A spreadsheet program, by which tests see that others can open what is written. */
  'libreoffice-calc-nogui': hasProgram('soffice'),
  /** A proxy that ends TLS, behind which tests put the service. */
  'nginx-light': hasFile('/usr/sbin/nginx'),
  openssl: hasProgram('openssl'),
};

/** What the service itself starts. */
const ofService = ['postgresql', 'ffmpeg'];

function aptInstall(names) {
  const line = `apt-get install -y --no-install-recommends ${names.join(' ')}`;
  if (!isRoot) fail(`${names.join(', ')} is missing. Install it and start again:\n\n  sudo ${line}\n`);
  if (spawnSync('apt-get', ['--version']).status !== 0)
    fail(`${names.join(', ')} is missing, and this system has no apt-get; install it by its own means.`);
  process.stdout.write(`Installing ${names.join(', ')} from Debian …\n`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  const install = (...some) => run('apt-get', ['install', '-y', '--no-install-recommends', ...some], { env });
  run('apt-get', ['update'], { env });
  if (names.includes('postgresql')) {
    // Debian would make and start a cluster on port 5432; ours is our own.
    install('postgresql-common');
    const conf = '/etc/postgresql-common/createcluster.conf';
    if (existsSync(conf))
      execFileSync('sed', ['-i', 's/^#\\?create_main_cluster.*/create_main_cluster = false/', conf]);
  }
  install(...names);
}

/** All that is missing of some packages, in one go. */
function installMissing(names) {
  const isMissing = (name) => !packages[name]();
  const missing = names.filter(isMissing);
  if (missing.length === 0) return;
  aptInstall(missing);
  const still = missing.filter(isMissing);
  if (still.length > 0) fail(`${still.join(', ')} was installed, but its programs were not found.`);
}

export const installForService = () => installMissing(ofService);
export const installForTests = () => installMissing(Object.keys(packages));
export const installForBench = () => installMissing([...ofService, 'chromium', 'poppler-utils']);
export const installChromium = () => installMissing(['chromium']);

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) {
  installPackages();
  installForTests();
}
