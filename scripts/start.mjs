// The start command: installs what is missing, then hands over to scripts/start/main.ts.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { installPackages, installPostgres, root } from './install.mjs';

installPackages();
installPostgres();
const child = spawn(
  process.execPath,
  ['--import', 'tsx', join(root, 'scripts/start/main.ts'), ...process.argv.slice(2)],
  { stdio: 'inherit', cwd: root },
);
// Ctrl-C reaches the child by itself; this process waits for it to stop everything.
process.on('SIGINT', () => undefined);
process.on('SIGTERM', () => child.kill('SIGTERM'));
child.on('exit', (code) => process.exit(code ?? 1));
