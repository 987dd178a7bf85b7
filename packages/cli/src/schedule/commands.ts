import type { HolidayList } from '@underbell/core/schedule';
import type { Command } from 'commander';
import { readTextFile } from '../platform/files.ts';
import { line, plural, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

export function addScheduleCommands(program: Command): void {
  const holidays = program.command('holidays').description('days on which schedules do not run');
  holidays
    .command('list')
    .description('lists of holidays')
    .action(async (_: object, command: Command) => {
      const answer = await callApi<{ holidays: HolidayList[] }>('GET', '/api/v1/holidays');
      show(command, answer, ({ holidays: all }) => {
        if (all.length === 0) return line('There is no list yet.');
        table(all, [
          { heading: 'name', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'days', cell: (one) => one.days.length, isNumber: true },
          { heading: 'from', cell: (one) => one.days[0] ?? '' },
          { heading: 'to', cell: (one) => one.days.at(-1) ?? '' },
        ]);
      });
    });
  holidays
    .command('load <file>')
    .description('save a list from a calendar (.ics) or from days, one in a line, with or without names')
    .requiredOption('--name <name>', 'name that schedules call it by')
    .option('--title <title>', 'its title; the name when left out')
    .addHelpText('after', '\nExample:\n  underbell holidays load closures.ics --name closures')
    .action(async (file: string, options: { name: string; title?: string }, command: Command) => {
      const body = { name: options.name, title: options.title ?? options.name, text: readTextFile(file) };
      const saved = await callApi<HolidayList>('PUT', '/api/v1/holidays', { body });
      show(command, saved, (one) => line(`${one.name}: ${plural(one.days.length, 'day')}.`));
    });
  holidays
    .command('remove <name>')
    .description('remove a list that no schedule names')
    .action(async (name: string, _: object, command: Command) => {
      await callApi('DELETE', `/api/v1/holidays/${encodeURIComponent(name)}`);
      show(command, { name }, () => line(`${name} is gone.`));
    });
  program
    .command('calendar')
    .description('the secret address at which calendar programs find when everything runs')
    .option('--make', 'make an address; the one before stops working')
    .option('--remove', 'take the address back')
    .action(async (options: { make?: true; remove?: true }, command: Command) => {
      if (options.make) {
        const made = await callApi<{ address: string }>('POST', '/api/v1/calendar', { body: {} });
        return show(command, made, ({ address }) =>
          line(`${address}\nIt is shown once; whoever knows it can read it.`),
        );
      }
      if (options.remove) {
        await callApi('DELETE', '/api/v1/calendar');
        return show(command, { calendar: null }, () => line('The address does not work any more.'));
      }
      type Shown = { calendar: { madeAt: string; fetchedAt: string | null } | null };
      show(command, await callApi<Shown>('GET', '/api/v1/calendar'), ({ calendar }) =>
        line(
          calendar
            ? `Your calendar has an address since ${calendar.madeAt}; ${calendar.fetchedAt ? `fetched ${calendar.fetchedAt}` : 'never fetched'}.`
            : 'Your calendar has no address. Make one: underbell calendar --make',
        ),
      );
    });
}
