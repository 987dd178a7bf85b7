// Runs the benchmarks: installs what is missing, starts a database of its own, prints ratios against floors of the same run.
import { spawn } from 'node:child_process';
import { built, runFlags } from './bundle.mjs';
import { installForBench, installPackages, root } from './install.mjs';

installPackages();
installForBench();
const program = await built('bench');
const child = spawn(process.execPath, [...runFlags, program, ...process.argv.slice(2)], {
  stdio: 'inherit',
  cwd: root,
});
process.on('SIGINT', () => undefined);
child.on('exit', (code) => process.exit(code ?? 1));
