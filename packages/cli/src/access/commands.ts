import type { AuditRecord } from '@underbell/core/audit';
import type { Command } from 'commander';
import { namedHolders, thingKinds } from '@underbell/core/access';
import type {
  InvitedPeople,
  ListedPerson,
  OwnRequest,
  ShownAttribute,
  ShownGrant,
  ShownGroup,
  ShownRequest,
} from '@underbell/core/access';
import { collect, readTextFile } from '../platform/files.ts';
import { line, plural, shortTime, show, showSkipped, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

/** Principals of a permission, one option each. */
interface Holders {
  readonly group?: string;
  readonly user?: string;
  readonly client?: string;
  readonly screen?: string;
  readonly screenGroup?: string;
}

const attributeText = (attributes: ListedPerson['attributes']) =>
  Object.entries(attributes)
    .map(([name, values]) => `${name}=${values.join(',')}`)
    .join(' ');

const managedBy = (origin: ShownGroup['origin']) => (origin === 'directory' ? 'identity provider' : 'Under Bell');

function addUserCommands(program: Command): void {
  const user = program.command('user').description('Users and guests');
  user
    .command('list')
    .description('List users')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ people: ListedPerson[] }>('GET', '/api/v1/users');
      show(command, answer, ({ people }) => {
        table(people, [
          { heading: 'email', cell: (one) => one.email },
          { heading: 'name', cell: (one) => one.name },
          { heading: 'state', cell: (one) => one.state },
          { heading: 'groups', cell: (one) => one.groups.join(', ') },
          {
            heading: 'attributes',
            cell: (one) => attributeText(one.attributes),
          },
        ]);
      });
    });
  user
    .command('show <email>')
    .description('Show a user')
    .action(async (email: string, _options, command: Command) => {
      const found = await callApi<ListedPerson>('GET', `/api/v1/users/${encodeURIComponent(email)}`);
      show(command, found, (one) => {
        line(`${one.name} <${one.email}>, ${one.state}${one.isAdministrator ? ', administrator' : ''}`);
        if (one.groups.length > 0) line(`groups: ${one.groups.join(', ')}`);
        for (const [name, values] of Object.entries(one.attributes)) line(`${name}: ${values.join(', ')}`);
      });
    });
  user
    .command('make-publisher <email>')
    .description('Give a user ownership of all content')
    .action(async (email: string, _options, command: Command) => {
      await callApi('PUT', `/api/v1/users/${encodeURIComponent(email)}/publisher`);
      show(command, { publisher: email, kinds: thingKinds }, () =>
        line(
          `“${email}” owns all ${thingKinds.map((kind) => `${kind}s`).join(', ')}. Row rules still decide which rows they see.`,
        ),
      );
    });
  user
    .command('invite <email>')
    .description('Invite a colleague or a guest by email')
    .requiredOption('--name <name>', 'name of the user')
    .option('--organisation <name>', 'organisation of a guest; default: a colleague')
    .option('--report <name>', 'report with “view” permission; repeatable', collect, [])
    .option('--group <name>', 'group; repeatable', collect, [])
    .option('--message <text>', 'message in the email', '')
    .addHelpText(
      'after',
      '\nExample:\n  underbell user invite ada@harbour.example --name "Ada Lund" --organisation Harbour --report quay-punctuality',
    )
    .action(
      async (
        email: string,
        options: { name: string; organisation?: string; report: string[]; group: string[]; message: string },
        command: Command,
      ) => {
        const { name, organisation, report, group, message } = options;
        const rights = report.map((one) => ({ kind: 'report', name: one, level: 'view' }));
        const body = { email, name, organisation, groups: group, rights, words: message };
        const answer = await callApi<{ expiresAt: string }>('POST', '/api/v1/invitations', { body });
        show(command, answer, ({ expiresAt }) =>
          line(`Invitation sent to “${email}”. It expires on ${expiresAt.slice(0, 10)}.`),
        );
      },
    );
  user
    .command('invite-many <file>')
    .description('Invite users from a table or a list of email addresses')
    .option('--preview', 'print the invitations without sending them')
    .option('--skip-invalid-rows', 'skip invalid rows and print them')
    .option('--message <text>', 'message in the email', '')
    .addHelpText(
      'after',
      '\nThe column headings are email, name, organisation, groups and names of user attributes. Separate several\nvalues of a cell with | or ;. Without headings, each line is one email address.\n\nExample:\n  underbell user invite-many crew.csv --preview',
    )
    .action(
      async (
        file: string,
        options: { preview?: boolean; skipInvalidRows?: boolean; message: string },
        command: Command,
      ) => {
        const { preview = false, skipInvalidRows, message } = options;
        const body = {
          text: readTextFile(file),
          message,
          isPreview: preview,
          ...(skipInvalidRows ? { invalidRows: 'skip' } : {}),
        };
        show(command, await callApi<InvitedPeople>('POST', '/api/v1/invitations/table', { body }), showInvited);
      },
    );
  user
    .command('update <email>')
    .description('Change a name, attributes or roles, or deactivate a user')
    .option(
      '--attribute <name=values>',
      'values separated by commas; empty removes the attribute; repeatable',
      collect,
      [],
    )
    .option('--name <name>', 'name of the user')
    .option('--administrator', 'make the user an administrator')
    .option('--no-administrator', 'remove the administrator role')
    .option('--deactivate', 'deactivate the user and end all sessions')
    .option('--reactivate', 'reactivate the user')
    .action(
      async (
        email: string,
        options: {
          attribute: string[];
          name?: string;
          administrator?: boolean;
          deactivate?: boolean;
          reactivate?: boolean;
        },
        command: Command,
      ) => {
        const attributes = Object.fromEntries(
          options.attribute.map((pair) => {
            const at = pair.indexOf('=');
            if (at < 1)
              throw localProblem('INPUT_INVALID', `“${pair}” is not name=values.`, {
                pointer: '--attribute',
                word: pair,
              });
            return [
              pair.slice(0, at),
              pair
                .slice(at + 1)
                .split(',')
                .map((one) => one.trim()),
            ];
          }),
        );
        // The service replaces all attributes at once.
        const known =
          options.attribute.length > 0
            ? (await callApi<ListedPerson>('GET', `/api/v1/users/${encodeURIComponent(email)}`)).attributes
            : {};
        const merged = Object.entries({ ...known, ...attributes })
          .map(([name, values]) => [name, values.filter((value) => value !== '')] as const)
          .filter(([, values]) => values.length > 0);
        const state = options.deactivate ? 'left' : options.reactivate ? 'active' : undefined;
        const body = {
          name: options.name,
          isAdministrator: options.administrator,
          ...(options.attribute.length > 0 ? { attributes: Object.fromEntries(merged) } : {}),
          ...(state ? { state } : {}),
        };
        await callApi('PUT', `/api/v1/users/${encodeURIComponent(email)}`, { body });
        show(command, { changed: email }, () => line(`User “${email}” updated.`));
      },
    );
}

function showInvited({ invited, known, skipped, isPreview }: InvitedPeople): void {
  table(invited, [
    { heading: 'email', cell: (one) => one.email },
    { heading: 'name', cell: (one) => one.name },
    { heading: 'organisation', cell: (one) => one.organisation ?? '' },
    { heading: 'groups', cell: (one) => one.groups.join(', ') },
    { heading: 'attributes', cell: (one) => attributeText(one.attributes) },
  ]);
  if (known.length > 0)
    line(
      `${plural(known.length, 'user exists', 'users exist')} or ${known.length === 1 ? 'is' : 'are'} invited already: ${known.join(', ')}`,
    );
  if (skipped) showSkipped(skipped);
  line(`${plural(invited.length, 'user')} ${isPreview ? 'would be invited. No email was sent.' : 'invited.'}`);
}

function addGroupCommands(program: Command): void {
  const group = program.command('group').description('Groups of users');
  group
    .command('list')
    .description('List groups')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ groups: ShownGroup[] }>('GET', '/api/v1/groups');
      show(command, answer, ({ groups }) => {
        table(groups, [
          { heading: 'group', cell: (one) => one.name },
          { heading: 'members', cell: (one) => one.members.length, isNumber: true },
          { heading: 'owners', cell: (one) => one.owners.join(', ') },
          { heading: 'managed by', cell: (one) => managedBy(one.origin) },
        ]);
      });
    });
  group
    .command('show <name>')
    .description('Show a group and its members')
    .action(async (name: string, _options, command: Command) => {
      const found = await callApi<ShownGroup>('GET', `/api/v1/groups/${encodeURIComponent(name)}`);
      show(command, found, ({ members, owners, origin }) => {
        line(`${name}, managed by ${managedBy(origin)}`);
        line(`members: ${members.join(', ') || 'none'}`);
        line(`owners: ${owners.join(', ') || 'administrators'}`);
      });
    });
  group
    .command('save <name>')
    .description('Save the exact members of a group')
    .option('--member <email>', 'member; repeatable', collect, [])
    .option('--owner <email>', 'owner, who can change the group; repeatable', collect, [])
    .action(async (name: string, options: { member: string[]; owner: string[] }, command: Command) => {
      const body = { members: options.member, owners: options.owner };
      await callApi('PUT', `/api/v1/groups/${encodeURIComponent(name)}`, { body });
      show(command, { saved: name }, () => line(`Group “${name}” saved.`));
    });
  for (const [verb, done] of [
    ['add', 'added to'],
    ['remove', 'removed from'],
  ] as const)
    group
      .command(`${verb}-member <name> <emails...>`)
      .description(`${verb === 'add' ? 'Add' : 'Remove'} members; other members stay`)
      .action(async (name: string, emails: string[], _options, command: Command) => {
        const path = `/api/v1/groups/${encodeURIComponent(name)}/members`;
        const changed = await callApi<ShownGroup>('POST', path, { body: { [verb]: emails } });
        show(command, changed, ({ members }) =>
          line(`${emails.join(', ')} ${done} group “${name}” (${plural(members.length, 'member')}).`),
        );
      });
  group
    .command('delete <name>')
    .description('Delete an unused group')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/groups/${encodeURIComponent(name)}`);
      show(command, { deleted: name }, () => line(`Group “${name}” deleted.`));
    });
}

function addPermissionCommands(program: Command): void {
  const permission = program.command('permission').description('Permissions on items and folders');
  permission
    .command('list <kind> <name>')
    .description('List the permissions on an item or folder')
    .action(async (kind: string, name: string, _options, command: Command) => {
      const answer = await callApi<{ grants: ShownGrant[] }>('GET', '/api/v1/permissions', { query: { kind, name } });
      show(command, answer, ({ grants }) => {
        table(grants, [
          { heading: 'number', cell: (one) => String(one.id) },
          {
            heading: 'principal',
            cell: (one) => (one.holder.kind === 'everyone' ? 'everyone' : `${one.holder.kind} ${one.holder.name}`),
          },
          { heading: 'permission', cell: (one) => one.level },
          {
            heading: 'on',
            cell: ({ thing }) => (thing.name === '*' ? `all ${thing.kind}s` : `${thing.kind} ${thing.name}`),
          },
          { heading: 'can share', cell: (one) => (one.canPassOn || one.level === 'own' ? 'yes' : 'no') },
          { heading: 'granted by', cell: (one) => one.givenBy },
        ]);
      });
    });
  permission
    .command('grant <kind> <name> <level>')
    .description('Grant a permission (view, export, edit or own)')
    .option('--group <name>', 'members of a group')
    .option('--user <email>', 'one user')
    .option('--client <id>', 'OAuth client')
    .option('--screen <name>', 'one screen')
    .option('--screen-group <name>', 'screen group')
    .option('--everyone', 'all users except guests')
    .option('--can-share', 'allow sharing with other users', false)
    .addHelpText('after', '\nExample:\n  underbell permission grant folder operations view --group "Quay managers"')
    .action(
      async (
        kind: string,
        name: string,
        level: string,
        options: Holders & { everyone?: boolean; canShare: boolean },
        command: Command,
      ) => {
        const named = namedHolders.flatMap((kind) => {
          const to = options[kind === 'screen-group' ? 'screenGroup' : kind === 'person' ? 'user' : kind];
          return to === undefined ? [] : [{ kind, name: to }];
        });
        const given = [...named, ...(options.everyone ? [{ kind: 'everyone' as const }] : [])];
        const [holder] = given;
        if (holder === undefined || given.length > 1)
          throw localProblem('INPUT_INVALID', 'Specify exactly one principal.', {
            hint: '--group NAME, --user EMAIL, --client ID, --screen NAME, --screen-group NAME or --everyone',
          });
        const body = { holder, thing: { kind, name }, level, canPassOn: options.canShare };
        await callApi('PUT', '/api/v1/permissions', { body });
        show(command, body, () => line(`Permission “${level}” on ${kind} “${name}” granted.`));
      },
    );
  permission
    .command('revoke <number>')
    .description('Revoke a permission')
    .action(async (number: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/permissions/${encodeURIComponent(number)}`);
      show(command, { revoked: number }, () => line(`Permission ${number} revoked.`));
    });
}

function addRequestCommands(program: Command): void {
  const request = program.command('access-request').description('Requests for access');
  request
    .command('list')
    .description('List requests that you can decide')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ requests: ShownRequest[] }>('GET', '/api/v1/access-requests');
      show(command, answer, ({ requests }) => {
        if (requests.length === 0) return line('No access requests.');
        table(requests, [
          { heading: 'number', cell: (one) => String(one.id) },
          { heading: 'user', cell: (one) => one.person.email },
          { heading: 'report', cell: (one) => one.thingName },
          { heading: 'state', cell: (one) => one.state },
          { heading: 'reason', cell: (one) => one.words },
        ]);
      });
    });
  request
    .command('create')
    .description('Request access to a report or placement')
    .option('--report <name>', 'report')
    .option('--placement <name>', 'placement')
    .option('--message <text>', 'reason', '')
    .action(async (options: { report?: string; placement?: string; message: string }, command: Command) => {
      const { report, placement, message } = options;
      if ((report === undefined) === (placement === undefined))
        throw localProblem('INPUT_INVALID', 'Specify either --report or --placement.');
      await callApi('POST', '/api/v1/access-requests', { body: { report, placement, words: message } });
      show(command, { requested: report ?? placement }, () =>
        line('Request sent. If the item exists, its owners were notified by email.'),
      );
    });
  request
    .command('mine')
    .description('List your own requests')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ requests: OwnRequest[] }>('GET', '/api/v1/access-requests/mine');
      show(command, answer, ({ requests }) =>
        table(requests, [
          { heading: 'number', cell: (one) => String(one.id) },
          { heading: 'item', cell: (one) => one.thingName },
          { heading: 'state', cell: (one) => one.state },
          { heading: 'answer', cell: (one) => one.answer },
        ]),
      );
    });
  const decide = async (number: string, body: { level?: string; words: string }) =>
    callApi('POST', `/api/v1/access-requests/${encodeURIComponent(number)}/decision`, { body });
  request
    .command('approve <number>')
    .description('Approve a request')
    .option('--level <level>', 'view or export', 'view')
    .option('--message <text>', 'message in the email', '')
    .action(async (number: string, { level, message }: { level: string; message: string }, command: Command) => {
      await decide(number, { level, words: message });
      show(command, { approved: number }, () => line(`Request ${number} approved.`));
    });
  request
    .command('deny <number>')
    .description('Deny a request')
    .option('--message <text>', 'message in the email', '')
    .action(async (number: string, { message }: { message: string }, command: Command) => {
      await decide(number, { words: message });
      show(command, { denied: number }, () => line(`Request ${number} denied.`));
    });
}

function addAttributeCommands(program: Command): void {
  const attribute = program.command('user-attribute').description('Attributes of users, for row rules');
  attribute
    .command('list')
    .description('List user attributes')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ attributes: ShownAttribute[] }>('GET', '/api/v1/user-attributes');
      show(command, answer, ({ attributes }) =>
        table(attributes, [
          { heading: 'attribute', cell: (one) => one.name },
          { heading: 'label', cell: (one) => one.label },
          { heading: 'type', cell: (one) => one.type },
          { heading: 'values', cell: (one) => (one.isMany ? 'multiple' : 'one') },
        ]),
      );
    });
  attribute
    .command('save <name>')
    .description('Save a user attribute')
    .requiredOption('--label <label>', 'label')
    .option('--type <type>', 'text, integer, number, boolean, date or instant', 'text')
    .option('--multiple', 'allow several values', false)
    .action(async (name: string, options: { label: string; type: string; multiple: boolean }, command: Command) => {
      const body = { label: options.label, type: options.type, isMany: options.multiple };
      await callApi('PUT', `/api/v1/user-attributes/${encodeURIComponent(name)}`, { body });
      show(command, { saved: name }, () => line(`User attribute “${name}” saved.`));
    });
}

function addAuditCommands(program: Command): void {
  const audit = program.command('audit-log').description('Audit log');
  audit
    .command('list')
    .description('List changes, newest first')
    .option('--user <text>', 'part of the email of the user')
    .option('--item <text>', 'part of the item, example: "report punctuality"')
    .option('--action <text>', 'part of the action')
    .option('--from <instant>', 'from this time')
    .option('--to <instant>', 'to this time')
    .option('--before <number>', 'entries before this number')
    .option('--limit <number>', 'maximum number', '50')
    .action(async ({ user, item, action, ...rest }: Record<string, string | undefined>, command: Command) => {
      const query = { ...rest, who: user, thing: item, what: action };
      const answer = await callApi<{ entries: AuditRecord[] }>('GET', '/api/v1/audit-log', { query });
      show(command, answer, ({ entries }) =>
        table(entries, [
          { heading: 'number', cell: (one) => one.id, isNumber: true },
          { heading: 'time', cell: (one) => shortTime(one.at) },
          { heading: 'user', cell: (one) => one.who },
          { heading: 'action', cell: (one) => one.what },
          { heading: 'item', cell: (one) => one.thing },
          { heading: 'via', cell: (one) => one.origin },
        ]),
      );
    });
  audit
    .command('verify')
    .description('Verify that no entry was changed or removed')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ entries: number; brokenAt?: number }>('GET', '/api/v1/audit-log/verify');
      show(command, answer, ({ entries, brokenAt }) =>
        line(
          brokenAt === undefined
            ? `Audit log verified: ${plural(entries, 'entry', 'entries')}.`
            : `Entry ${brokenAt}, or one before it, was changed or removed.`,
        ),
      );
      if (answer.brokenAt !== undefined) process.exitCode = 1;
    });
}

/** Users, groups, permissions, access requests and the audit log. */
export function addAccessCommands(program: Command): void {
  for (const add of [
    addUserCommands,
    addAttributeCommands,
    addGroupCommands,
    addPermissionCommands,
    addRequestCommands,
    addAuditCommands,
  ])
    add(program);
}
