// Runs every test: installs what is missing, starts a database of its own, hands the files to Node's test runner, cleans up.
import { spawn } from 'node:child_process';
import { built, runFlags } from './bundle.mjs';
import { installForTests, installPackages, root } from './install.mjs';

installPackages();
installForTests();
const program = await built('test');
const child = spawn(process.execPath, [...runFlags, program, ...process.argv.slice(2)], {
  stdio: 'inherit',
  cwd: root,
});
process.on('SIGINT', () => undefined);
child.on('exit', (code) => process.exit(code ?? 1));
