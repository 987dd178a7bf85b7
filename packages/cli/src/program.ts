import { Command } from 'commander';
import { addAppCommands } from './app/commands.ts';
import { addRowRuleCommands } from './rule/commands.ts';
import { addMaskCommands } from './rule/maskCommands.ts';
import { addAccessCommands } from './access/commands.ts';
import { addBoardCommands } from './board/commands.ts';
import { addBurstCommands } from './burst/commands.ts';
import { addListCommands } from './list/commands.ts';
import { addDatasetCommands } from './dataset/commands.ts';
import { addDestinationCommands } from './deliver/commands.ts';
import { addFolderCommands } from './folder/commands.ts';
import { addChannelCommands } from './channel/commands.ts';
import { addSyncCommands } from './sync/commands.ts';
import { addItemCommands } from './folder/itemCommands.ts';
import { addUsageCommands } from './usage/commands.ts';
import { addOperationsCommands } from './operations/commands.ts';
import { addTokenCommands } from './token/commands.ts';
import { addActiveAccessCommands } from './activeAccess/commands.ts';
import { addPlacementCommands } from './placement/commands.ts';
import { addPublicCommands } from './placement/publicCommands.ts';
import { addCompletionCommand } from './platform/completion.ts';
import { addReportCommands } from './report/commands.ts';
import { addScheduleCommands } from './schedule/commands.ts';
import { addSessionCommands } from './session/commands.ts';
import { addSourceCommands } from './source/commands.ts';
import { addTemplateCommands } from './template/commands.ts';
import { addMediaCommands } from './media/commands.ts';
import { addPlaylistCommands } from './screen/playlistCommands.ts';
import { addScreenCommands } from './screen/screenCommands.ts';
import { addPreviewCommands } from './preview/commands.ts';

/** The command line with all its commands. */
export function createProgram(): Command {
  const program = new Command('underbell')
    .description('Publish reports, control access, deliver and burst them.')
    .version('0.1.0')
    .exitOverride()
    .configureHelp({ showGlobalOptions: true })
    .option('--json', 'print JSON');
  for (const add of [
    addSessionCommands,
    addSourceCommands,
    addDatasetCommands,
    addReportCommands,
    addBoardCommands,
    addFolderCommands,
    addSyncCommands,
    addRowRuleCommands,
    addMaskCommands,
    addAccessCommands,
    addTokenCommands,
    addPlacementCommands,
    addPublicCommands,
    addChannelCommands,
    addAppCommands,
    addScreenCommands,
    addMediaCommands,
    addPlaylistCommands,
    addActiveAccessCommands,
    addListCommands,
    addTemplateCommands,
    addDestinationCommands,
    addBurstCommands,
    addPreviewCommands,
    addScheduleCommands,
    addUsageCommands,
    addOperationsCommands,
    addItemCommands,
    addCompletionCommand,
  ])
    add(program);
  program.addHelpText(
    'after',
    '\nExit codes: 0 success, 1 failed, 2 invalid input, 3 not allowed, 4 not found, 5 partly done.',
  );
  for (const command of allCommands(program)) command.exitOverride();
  return program;
}

function allCommands(command: Command): Command[] {
  return command.commands.flatMap((one) => [one as Command, ...allCommands(one as Command)]);
}
