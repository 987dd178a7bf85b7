import type { PublicLink, PublicLinks } from '@underbell/core/placement';
import type { Command } from 'commander';
import { line, shortTime, show, table } from '../platform/output.ts';
import { callApi } from '../platform/service.ts';

const dayMs = 86_400_000;
/** So many days from now, as the service reads it; what is no number is sent as it is, for the service to refuse. */
function dayIn(days: string): string {
  const until = new Date(Date.now() + Number(days) * dayMs);
  return Number.isNaN(until.getTime()) ? days : until.toISOString();
}
const pathOf = (name: string) => `/api/v1/placements/${encodeURIComponent(name)}/public-links`;

/** Links by which everybody sees a placement, and the administrator's switch for all of them. */
export function addPublicCommands(program: Command): void {
  const link = program
    .command('public-link')
    .description('links by which everybody sees a placement, without signing in');
  for (const [word, isOn, said] of [
    ['on', true, 'Owners may make public links now.'],
    ['off', false, 'No public link shows anything now.'],
  ] as const)
    link
      .command(word)
      .description(`switch public links ${word} for the whole installation, as its administrator`)
      .action(async (_options, command: Command) => {
        show(command, await callApi<object>('PUT', '/api/v1/public-links', { body: { isOn } }), () => line(said));
      });
  link
    .command('list <placement>')
    .description('the public links of a placement, and what keeps it from being public')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<PublicLinks>('GET', pathOf(name)), ({ links, refused }) => {
        table(links, [
          { heading: 'number', cell: (one) => one.id },
          { heading: 'note', cell: (one) => one.note },
          { heading: 'until', cell: (one) => shortTime(one.until) },
          { heading: 'views', cell: (one) => one.views, isNumber: true },
          {
            heading: 'state',
            cell: (one) =>
              one.endedAt ? `ended by ${one.endedBy ?? ''}` : one.closed ? `shows nothing: ${one.closed}` : one.url,
          },
        ]);
        if (refused) line(`Not to be made public: ${refused.message}; ${refused.hint}.`);
        else if (links.length === 0) line('No public link yet.');
      });
    });
  link
    .command('make <placement>')
    .description('make a link by which everybody who knows it sees the placement')
    .requiredOption('--note <text>', 'why everybody may see it')
    .option('--days <number>', 'it ends after so many days, 366 at most', '14')
    .action(async (name: string, { note, days }: { note: string; days: string }, command: Command) => {
      const body = { note, until: dayIn(days) };
      show(command, await callApi<PublicLink>('POST', pathOf(name), { body }), (made) => {
        line(made.url);
        line(`Whoever has it sees these figures until ${shortTime(made.until)}, without signing in.`);
      });
    });
  link
    .command('change <number>')
    .description('give a public link another end or another note')
    .option('--note <text>', 'why everybody may see it')
    .option('--days <number>', 'it ends so many days from now')
    .action(async (id: string, { note, days }: { note?: string; days?: string }, command: Command) => {
      const body = { note, ...(days === undefined ? {} : { until: dayIn(days) }) };
      const path = `/api/v1/public-links/${encodeURIComponent(id)}`;
      show(command, await callApi<PublicLink>('PUT', path, { body }), (changed) =>
        line(`“${changed.note}” ends ${shortTime(changed.until)}.`),
      );
    });
  link
    .command('end <number>')
    .description('end a public link at once')
    .action(async (id: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/public-links/${encodeURIComponent(id)}`);
      show(command, { ended: id }, () => line('The link shows nothing any more.'));
    });
}
