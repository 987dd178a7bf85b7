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
  const link = program.command('public-link').description('Public links: view a placement without sign-in');
  for (const [word, isOn, said] of [
    ['enable', true, 'Public links enabled.'],
    ['disable', false, 'Public links disabled.'],
  ] as const)
    link
      .command(word)
      .description(isOn ? 'Enable public links (administrators)' : 'Disable public links (administrators)')
      .action(async (_options, command: Command) => {
        show(command, await callApi<object>('PUT', '/api/v1/public-links', { body: { isOn } }), () => line(said));
      });
  link
    .command('list <placement>')
    .description('List the public links of a placement')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<PublicLinks>('GET', pathOf(name)), ({ links, refused }) => {
        table(links, [
          { heading: 'number', cell: (one) => one.id },
          { heading: 'reason', cell: (one) => one.note },
          { heading: 'expires', cell: (one) => shortTime(one.until) },
          { heading: 'views', cell: (one) => one.views, isNumber: true },
          {
            heading: 'state',
            cell: (one) =>
              one.endedAt ? `revoked by ${one.endedBy ?? ''}` : one.closed ? `not available: ${one.closed}` : one.url,
          },
        ]);
        if (refused) line(`Public links are not possible: ${refused.message}; ${refused.hint}.`);
        else if (links.length === 0) line('No public links.');
      });
    });
  link
    .command('create <placement>')
    .description('Create a public link')
    .requiredOption('--note <text>', 'reason')
    .option('--days <number>', 'lifetime in days, at most 366', '14')
    .action(async (name: string, { note, days }: { note: string; days: string }, command: Command) => {
      const body = { note, until: dayIn(days) };
      show(command, await callApi<PublicLink>('POST', pathOf(name), { body }), (made) => {
        line(made.url);
        line(`Everyone with this link can view the placement until ${shortTime(made.until)}, without sign-in.`);
      });
    });
  link
    .command('update <number>')
    .description('Change the expiry or reason of a public link')
    .option('--note <text>', 'reason')
    .option('--days <number>', 'lifetime in days from now')
    .action(async (id: string, { note, days }: { note?: string; days?: string }, command: Command) => {
      const body = { note, ...(days === undefined ? {} : { until: dayIn(days) }) };
      const path = `/api/v1/public-links/${encodeURIComponent(id)}`;
      show(command, await callApi<PublicLink>('PUT', path, { body }), (changed) =>
        line(`Public link “${changed.note}” updated. It expires ${shortTime(changed.until)}.`),
      );
    });
  link
    .command('revoke <number>')
    .description('Revoke a public link')
    .action(async (id: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/public-links/${encodeURIComponent(id)}`);
      show(command, { revoked: id }, () => line('Public link revoked.'));
    });
}
