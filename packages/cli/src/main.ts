import { CommanderError } from 'commander';
import { createProgram } from './program.ts';
import { localProblem, Problem, problemLines } from './platform/problem.ts';

function fail(error: unknown): number {
  // Help and version are answers; every other complaint about words is wrong use.
  if (error instanceof CommanderError) {
    if (error.exitCode === 0) return 0;
    // Help for a command without its verb was printed already.
    const detail =
      error.code === 'commander.help'
        ? 'Missing subcommand. Run the command with --help to list them.'
        : error.message.replace(/^error: /, '').split('\n')[0]!;
    if (process.argv.includes('--json')) {
      const hint = /Did you mean ([^?]+)\?/.exec(error.message)?.[1];
      const { document } = localProblem('OPTION_UNKNOWN', detail, hint ? { nearest: [hint] } : {});
      process.stdout.write(`${JSON.stringify(document, null, 2)}\n`);
    }
    return 2;
  }
  if (error instanceof Problem) {
    if (process.argv.includes('--json')) process.stdout.write(`${JSON.stringify(error.document, null, 2)}\n`);
    process.stderr.write(`${problemLines(error).join('\n')}\n`);
    return error.exitCode;
  }
  if ((error as { code?: string }).code === 'EPIPE') return 0;
  process.stderr.write(`error: ${(error as Error).message}\n  code: INTERNAL\n`);
  return 1;
}

// A reader such as `head` that has seen enough is no failure.
process.stdout.on('error', (error: Error & { code?: string }) => process.exit(error.code === 'EPIPE' ? 0 : 1));

try {
  await createProgram().parseAsync();
} catch (error) {
  process.exitCode = fail(error);
}
