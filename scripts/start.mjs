// The start command: installs what is missing, then hands over to scripts/start/main.ts.
import { spawn } from 'node:child_process';
import { built, runFlags } from './bundle.mjs';
import { installForService, installPackages, root } from './install.mjs';

installPackages();
installForService();
const program = await built('start');
const child = spawn(process.execPath, [...runFlags, program, ...process.argv.slice(2)], {
  stdio: 'inherit',
  cwd: root,
});
// Ctrl-C reaches the child by itself; this process waits for it to stop everything.
process.on('SIGINT', () => undefined);
process.on('SIGTERM', () => child.kill('SIGTERM'));
child.on('exit', (code) => process.exit(code ?? 1));
