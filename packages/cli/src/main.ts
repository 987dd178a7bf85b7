import { Command, CommanderError } from 'commander';
import { addAppCommands } from './app/commands.ts';
import { addRuleCommands } from './rule/commands.ts';
import { addMaskCommands } from './rule/maskCommands.ts';
import { addPeopleCommands } from './access/commands.ts';
import { addBoardCommands } from './board/commands.ts';
import { addBurstCommands } from './burst/commands.ts';
import { addListCommands } from './list/commands.ts';
import { addDatasetCommands } from './dataset/commands.ts';
import { addDestinationCommands } from './deliver/commands.ts';
import { addFolderCommands } from './folder/commands.ts';
import { addChannelCommands } from './channel/commands.ts';
import { addFollowCommands } from './sync/commands.ts';
import { addThingCommands } from './folder/itemCommands.ts';
import { addMeterCommand } from './usage/commands.ts';
import { addOperationsCommands } from './operations/commands.ts';
import { addTokenCommands } from './token/commands.ts';
import { addOpenCommands } from './activeAccess/commands.ts';
import { addPlaceCommands } from './placement/commands.ts';
import { addPublicCommands } from './placement/publicCommands.ts';
import { addCompletionCommand } from './platform/completion.ts';
import { localProblem, Problem, problemLines } from './platform/problem.ts';
import { addReportCommands } from './report/commands.ts';
import { addScheduleCommands } from './schedule/commands.ts';
import { addSessionCommands } from './session/commands.ts';
import { addSourceCommands } from './source/commands.ts';
import { addTemplateCommands } from './template/commands.ts';
import { addMediaCommands } from './media/commands.ts';
import { addPlaylistCommands } from './screen/playlistCommands.ts';
import { addScreenCommands } from './screen/screenCommands.ts';
import { addSeeCommand } from './preview/commands.ts';

function createProgram(): Command {
  const program = new Command('underbell')
    .description('Publish reports, decide who sees what, deliver and burst them.')
    .version('0.1.0')
    .exitOverride()
    .configureHelp({ showGlobalOptions: true })
    .option('--json', 'answer as JSON');
  for (const add of [
    addSessionCommands,
    addSourceCommands,
    addDatasetCommands,
    addReportCommands,
    addBoardCommands,
    addFolderCommands,
    addFollowCommands,
    addRuleCommands,
    addMaskCommands,
    addPeopleCommands,
    addSeeCommand,
    addTokenCommands,
    addPlaceCommands,
    addPublicCommands,
    addChannelCommands,
    addAppCommands,
    addScreenCommands,
    addMediaCommands,
    addPlaylistCommands,
    addOpenCommands,
    addListCommands,
    addTemplateCommands,
    addDestinationCommands,
    addBurstCommands,
    addScheduleCommands,
    addMeterCommand,
    addOperationsCommands,
    addThingCommands,
    addCompletionCommand,
  ])
    add(program);
  program.addHelpText(
    'after',
    '\nExit codes: 0 fine, 1 failed, 2 wrong use or refused input, 3 not allowed, 4 not found, 5 partly done.',
  );
  for (const command of allCommands(program)) command.exitOverride();
  return program;
}

function allCommands(command: Command): Command[] {
  return command.commands.flatMap((one) => [one as Command, ...allCommands(one as Command)]);
}

function fail(error: unknown): number {
  // Help and version are answers; every other complaint about words is wrong use.
  if (error instanceof CommanderError) {
    if (error.exitCode === 0) return 0;
    // Help for a command without its verb was printed already.
    const detail =
      error.code === 'commander.help' ? 'a verb is missing' : error.message.replace(/^error: /, '').split('\n')[0]!;
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
