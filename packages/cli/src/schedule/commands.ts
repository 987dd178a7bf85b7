import type { HolidayList } from '@underbell/core/schedule';
import type { Command } from 'commander';
import { readTextFile } from '../platform/files.ts';
import { line, plural, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

export function addScheduleCommands(program: Command): void {
  const holidays = program.command('holiday-calendar').description('Holiday calendars');
  holidays
    .command('list')
    .description('List holiday calendars')
    .action(async (_: object, command: Command) => {
      const answer = await callApi<{ holidays: HolidayList[] }>('GET', '/api/v1/holiday-calendars');
      show(command, answer, ({ holidays: all }) => {
        if (all.length === 0) return line('No holiday calendars.');
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
    .command('upload <file>')
    .description('Upload a calendar (.ics) or a list of days')
    .requiredOption('--name <name>', 'holiday calendar; created if it does not exist')
    .option('--title <title>', 'title; default: the name')
    .addHelpText('after', '\nExample:\n  underbell holiday-calendar upload closures.ics --name closures')
    .action(async (file: string, options: { name: string; title?: string }, command: Command) => {
      const body = { name: options.name, title: options.title ?? options.name, text: readTextFile(file) };
      const saved = await callApi<HolidayList>('PUT', '/api/v1/holiday-calendars', { body });
      show(command, saved, (one) => line(`Holiday calendar “${one.name}” saved: ${plural(one.days.length, 'day')}.`));
    });
  holidays
    .command('delete <name>')
    .description('Delete an unused holiday calendar')
    .action(async (name: string, _: object, command: Command) => {
      await callApi('DELETE', `/api/v1/holiday-calendars/${encodeURIComponent(name)}`);
      show(command, { deleted: name }, () => line(`Holiday calendar “${name}” deleted.`));
    });
  program
    .command('calendar-feed')
    .description('Calendar feed of all schedules')
    .option('--create', 'create a URL; the previous one stops working')
    .option('--remove', 'remove the URL')
    .action(async (options: { create?: true; remove?: true }, command: Command) => {
      if (options.create) {
        const made = await callApi<{ address: string }>('POST', '/api/v1/calendar-feed', { body: {} });
        return show(command, made, ({ address }) =>
          line(`${address}\nThe URL is shown only once. Everyone who knows it can read the calendar.`),
        );
      }
      if (options.remove) {
        await callApi('DELETE', '/api/v1/calendar-feed');
        return show(command, { calendar: null }, () => line('Calendar feed removed.'));
      }
      type Shown = { calendar: { madeAt: string; fetchedAt: string | null } | null };
      show(command, await callApi<Shown>('GET', '/api/v1/calendar-feed'), ({ calendar }) =>
        line(
          calendar
            ? `Calendar feed created ${calendar.madeAt}, ${calendar.fetchedAt ? `last used ${calendar.fetchedAt}` : 'never used'}.`
            : 'No calendar feed. Create one: underbell calendar-feed --create',
        ),
      );
    });
}
