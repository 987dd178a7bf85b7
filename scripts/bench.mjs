// Runs the benchmarks: installs what is missing, starts a database of its own, prints ratios against floors of the same run.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { installPackages, installPostgres, root } from './install.mjs';

installPackages();
installPostgres();
const child = spawn(process.execPath, ['--import', 'tsx', join(root, 'bench/src/main.ts'), ...process.argv.slice(2)], {
  stdio: 'inherit',
  cwd: root,
});
process.on('SIGINT', () => undefined);
child.on('exit', (code) => process.exit(code ?? 1));
