import type { Command } from 'commander';
import { line, show } from '../platform/output.ts';
import { askService } from '../platform/service.ts';

const kinds = {
  burst: 'take a burst away that no run is going on of; its ledger stays',
  list: 'take a list away that no burst sends to',
  place: 'take a placement away; what shows it says that it is gone',
  source: 'take a source away that no dataset reads',
  template: 'take a prepared workbook away that no burst fills',
  folder: 'take an empty folder away',
} as const;

/** Gives every noun of things that go for good its verb. */
export function addRemoveCommands(program: Command): void {
  for (const [noun, words] of Object.entries(kinds)) {
    const kind = noun === 'place' ? 'placement' : noun;
    program.commands
      .find((one) => one.name() === noun)!
      .command('remove <name>')
      .description(words)
      .action(async (name: string, _options, command: Command) => {
        await askService('DELETE', `/api/v1/${kind}s/${encodeURIComponent(name)}`);
        show(command, { removed: name, kind }, () => line(`The ${kind} ${name} is gone.`));
      });
  }
}
