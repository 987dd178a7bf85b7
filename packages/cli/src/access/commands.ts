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

/** To whom a right is given, each as an option of its own. */
interface Holders {
  readonly group?: string;
  readonly person?: string;
  readonly client?: string;
  readonly screen?: string;
  readonly screenGroup?: string;
}

const attributeText = (attributes: ListedPerson['attributes']) =>
  Object.entries(attributes)
    .map(([name, values]) => `${name}=${values.join(',')}`)
    .join(' ');

function addPersonCommands(program: Command): void {
  const person = program.command('person').description('people, guests and their attributes');
  person
    .command('list')
    .description('everyone')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ people: ListedPerson[] }>('GET', '/api/v1/people');
      show(command, answer, ({ people }) => {
        table(people, [
          { heading: 'address', cell: (one) => one.email },
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
  person
    .command('show <email>')
    .description('one person')
    .action(async (email: string, _options, command: Command) => {
      const found = await callApi<ListedPerson>('GET', `/api/v1/people/${encodeURIComponent(email)}`);
      show(command, found, (one) => {
        line(`${one.name} <${one.email}>, ${one.state}${one.isAdministrator ? ', administrator' : ''}`);
        if (one.groups.length > 0) line(`groups: ${one.groups.join(', ')}`);
        for (const [name, values] of Object.entries(one.attributes)) line(`${name}: ${values.join(', ')}`);
      });
    });
  person
    .command('make-publisher <email>')
    .description(
      'let somebody make datasets, reports, boards, lists, bursts and what belongs to them, and see those of all',
    )
    .action(async (email: string, _options, command: Command) => {
      await callApi('PUT', `/api/v1/people/${encodeURIComponent(email)}/publisher`);
      show(command, { publisher: email, kinds: thingKinds }, () =>
        line(
          `${email} owns all ${thingKinds.map((kind) => `${kind}s`).join(', ')}. What rows they see, row rules say.`,
        ),
      );
    });
  person
    .command('invite <email>')
    .description('invite a guest of another organisation, or a colleague, by mail')
    .requiredOption('--name <name>', 'what people read')
    .option('--organisation <name>', 'the guest’s organisation; without it, a colleague')
    .option('--report <name>', 'a report that the person may view; may be repeated', collect, [])
    .option('--group <name>', 'a group; may be repeated', collect, [])
    .option('--words <text>', 'a few words in the letter', '')
    .addHelpText(
      'after',
      '\nExample:\n  underbell person invite ada@harbour.example --name "Ada Lund" --organisation Harbour --report quay-punctuality',
    )
    .action(
      async (
        email: string,
        options: { name: string; organisation?: string; report: string[]; group: string[]; words: string },
        command: Command,
      ) => {
        const { name, organisation, report, group, words } = options;
        const rights = report.map((one) => ({ kind: 'report', name: one, level: 'view' }));
        const body = { email, name, organisation, groups: group, rights, words };
        const answer = await callApi<{ expiresAt: string }>('POST', '/api/v1/invitations', { body });
        show(command, answer, ({ expiresAt }) => line(`${email} is invited until ${expiresAt.slice(0, 10)}.`));
      },
    );
  person
    .command('invite-many <file>')
    .description('invite everybody whom a table or a list of email addresses names')
    .option('--preview', 'invite nobody yet: print who would be invited')
    .option('--skip-invalid-rows', 'invite the others, and print the rows that are invalid')
    .option('--message <text>', 'a message in the email', '')
    .addHelpText(
      'after',
      '\nThe headings of a table are email, name, organisation, groups and names of attributes. Several values of a\ncell stand with | or ; between them. Without headings, each line names one person.\n\nExample:\n  underbell person invite-many crew.csv --preview',
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
  person
    .command('change <email>')
    .description('change a name or attributes, make an administrator, or say that somebody has left or is back')
    .option(
      '--attribute <name=values>',
      'values, separated by commas; those not named stay, an empty one goes; may be repeated',
      collect,
      [],
    )
    .option('--name <name>', 'what people read')
    .option('--administrator', 'may do everything; --no-administrator takes that back')
    .option('--no-administrator')
    .option('--left', 'has left: signed out everywhere at once')
    .option('--back', 'is back')
    .action(
      async (
        email: string,
        options: { attribute: string[]; name?: string; administrator?: boolean; left?: boolean; back?: boolean },
        command: Command,
      ) => {
        const attributes = Object.fromEntries(
          options.attribute.map((pair) => {
            const at = pair.indexOf('=');
            if (at < 1)
              throw localProblem('INPUT_INVALID', `\`${pair}\` is not name=values`, {
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
        // All attributes are said at once: those that are not named stay.
        const known =
          options.attribute.length > 0
            ? (await callApi<ListedPerson>('GET', `/api/v1/people/${encodeURIComponent(email)}`)).attributes
            : {};
        const merged = Object.entries({ ...known, ...attributes })
          .map(([name, values]) => [name, values.filter((value) => value !== '')] as const)
          .filter(([, values]) => values.length > 0);
        const state = options.left ? 'left' : options.back ? 'active' : undefined;
        const body = {
          name: options.name,
          isAdministrator: options.administrator,
          ...(options.attribute.length > 0 ? { attributes: Object.fromEntries(merged) } : {}),
          ...(state ? { state } : {}),
        };
        await callApi('PUT', `/api/v1/people/${encodeURIComponent(email)}`, { body });
        show(command, { changed: email }, () => line(`${email} is changed.`));
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
    line(`${plural(known.length, 'person is', 'people are')} here or invited already: ${known.join(', ')}`);
  if (skipped) showSkipped(skipped);
  line(`${plural(invited.length, 'person', 'people')} ${isPreview ? 'would be invited. Nobody was.' : 'invited.'}`);
}

function addGroupCommands(program: Command): void {
  const group = program.command('group').description('groups of people');
  group
    .command('list')
    .description('the groups and who belongs to them')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ groups: ShownGroup[] }>('GET', '/api/v1/groups');
      show(command, answer, ({ groups }) => {
        table(groups, [
          { heading: 'group', cell: (one) => one.name },
          { heading: 'members', cell: (one) => one.members.length, isNumber: true },
          { heading: 'owners', cell: (one) => one.owners.join(', ') },
          { heading: 'kept', cell: (one) => (one.origin === 'directory' ? 'by the directory' : 'here') },
        ]);
      });
    });
  group
    .command('show <name>')
    .description('a group and everybody in it')
    .action(async (name: string, _options, command: Command) => {
      const found = await callApi<ShownGroup>('GET', `/api/v1/groups/${encodeURIComponent(name)}`);
      show(command, found, ({ members, owners, origin }) => {
        line(`${name}, kept ${origin === 'directory' ? 'by the directory' : 'here'}`);
        line(`members: ${members.join(', ') || 'nobody yet'}`);
        line(`owners: ${owners.join(', ') || 'administrators'}`);
      });
    });
  group
    .command('save <name>')
    .description('save who belongs to a group: exactly those named')
    .option('--member <email>', 'a member; may be repeated', collect, [])
    .option('--owner <email>', 'an owner, who may change the group; may be repeated', collect, [])
    .action(async (name: string, options: { member: string[]; owner: string[] }, command: Command) => {
      const body = { members: options.member, owners: options.owner };
      await callApi('PUT', `/api/v1/groups/${encodeURIComponent(name)}`, { body });
      show(command, { saved: name }, () => line(`The group ${name} is saved.`));
    });
  for (const [verb, done] of [
    ['add', 'added to'],
    ['remove', 'removed from'],
  ] as const)
    group
      .command(`${verb}-member <name> <emails...>`)
      .description(`${verb} members; everybody else stays`)
      .action(async (name: string, emails: string[], _options, command: Command) => {
        const path = `/api/v1/groups/${encodeURIComponent(name)}/members`;
        const changed = await callApi<ShownGroup>('POST', path, { body: { [verb]: emails } });
        show(command, changed, ({ members }) =>
          line(`${emails.join(', ')} ${done} ${name}, which has ${plural(members.length, 'member')}.`),
        );
      });
  group
    .command('remove <name>')
    .description('remove a group that nothing names')
    .action(async (name: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/groups/${encodeURIComponent(name)}`);
      show(command, { removed: name }, () => line(`The group ${name} is removed.`));
    });
}

function addGrantCommands(program: Command): void {
  const grant = program.command('grant').description('who may view, export, edit or own what');
  grant
    .command('list <kind> <name>')
    .description('the rights given on a thing or folder')
    .action(async (kind: string, name: string, _options, command: Command) => {
      const answer = await callApi<{ grants: ShownGrant[] }>('GET', '/api/v1/grants', { query: { kind, name } });
      show(command, answer, ({ grants }) => {
        table(grants, [
          { heading: 'number', cell: (one) => String(one.id) },
          {
            heading: 'who',
            cell: (one) => (one.holder.kind === 'everyone' ? 'everyone' : `${one.holder.kind} ${one.holder.name}`),
          },
          { heading: 'may', cell: (one) => one.level },
          {
            heading: 'on',
            cell: ({ thing }) => (thing.name === '*' ? `all ${thing.kind}s` : `${thing.kind} ${thing.name}`),
          },
          { heading: 'passes on', cell: (one) => (one.canPassOn || one.level === 'own' ? 'yes' : 'no') },
          { heading: 'given by', cell: (one) => one.givenBy },
        ]);
      });
    });
  grant
    .command('give <kind> <name> <level>')
    .description('give a right')
    .option('--group <name>', 'to the members of a group')
    .option('--person <email>', 'to one person')
    .option('--client <id>', 'to a program that asks for tokens')
    .option('--screen <name>', 'to one display screen')
    .option('--screen-group <name>', 'to a group of display screens')
    .option('--everyone', 'to everyone but guests')
    .option('--pass-on', 'who may give it to others', false)
    .addHelpText('after', '\nExample:\n  underbell grant give folder operations view --group "Quay managers"')
    .action(
      async (
        kind: string,
        name: string,
        level: string,
        options: Holders & { everyone?: boolean; passOn: boolean },
        command: Command,
      ) => {
        const named = namedHolders.flatMap((kind) => {
          const to = options[kind === 'screen-group' ? 'screenGroup' : kind];
          return to === undefined ? [] : [{ kind, name: to }];
        });
        const given = [...named, ...(options.everyone ? [{ kind: 'everyone' as const }] : [])];
        const [holder] = given;
        if (holder === undefined || given.length > 1)
          throw localProblem('INPUT_INVALID', 'say to whom, once', {
            hint: 'one of --group NAME, --person EMAIL, --client ID, --screen NAME, --screen-group NAME, --everyone',
          });
        const body = { holder, thing: { kind, name }, level, canPassOn: options.passOn };
        await callApi('PUT', '/api/v1/grants', { body });
        show(command, body, () => line(`The right to ${level} the ${kind} ${name} is given.`));
      },
    );
  grant
    .command('take <number>')
    .description('take a right back')
    .action(async (number: string, _options, command: Command) => {
      await callApi('DELETE', `/api/v1/grants/${encodeURIComponent(number)}`);
      show(command, { taken: number }, () => line(`The right ${number} is taken back.`));
    });
}

function addRequestCommands(program: Command): void {
  const request = program.command('request').description('readers who ask for access');
  request
    .command('list')
    .description('requests that you may answer')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ requests: ShownRequest[] }>('GET', '/api/v1/requests');
      show(command, answer, ({ requests }) => {
        if (requests.length === 0) return line('Nobody has asked.');
        table(requests, [
          { heading: 'number', cell: (one) => String(one.id) },
          { heading: 'who', cell: (one) => one.person.email },
          { heading: 'report', cell: (one) => one.thingName },
          { heading: 'state', cell: (one) => one.state },
          { heading: 'words', cell: (one) => one.words },
        ]);
      });
    });
  request
    .command('ask')
    .description('ask for the right to see a report or a placement')
    .option('--report <name>', 'the report')
    .option('--placement <name>', 'the placement that would not show it')
    .option('--words <text>', 'a few words to whoever answers', '')
    .action(async (options: { report?: string; placement?: string; words: string }, command: Command) => {
      if ((options.report === undefined) === (options.placement === undefined))
        throw localProblem('INPUT_INVALID', 'say --report or --placement, one of them');
      await callApi('POST', '/api/v1/requests', { body: options });
      show(command, { asked: options.report ?? options.placement }, () =>
        line('It is asked for. Whoever owns it, if there is such a thing, has a letter.'),
      );
    });
  request
    .command('own')
    .description('what you asked for, with the answers')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ requests: OwnRequest[] }>('GET', '/api/v1/requests/own');
      show(command, answer, ({ requests }) =>
        table(requests, [
          { heading: 'number', cell: (one) => String(one.id) },
          { heading: 'what', cell: (one) => one.thingName },
          { heading: 'state', cell: (one) => one.state },
          { heading: 'answer', cell: (one) => one.answer },
        ]),
      );
    });
  request
    .command('answer <number>')
    .description('answer a request once: with a right, or with words alone')
    .option('--grant <level>', 'view or export; without it, the request is refused')
    .option('--words <text>', 'a few words with the answer', '')
    .action(async (number: string, options: { grant?: string; words: string }, command: Command) => {
      const body = { level: options.grant, words: options.words };
      await callApi('POST', `/api/v1/requests/${encodeURIComponent(number)}/answer`, { body });
      show(command, { answered: number }, () => line(`Request ${number} is ${options.grant ? 'granted' : 'refused'}.`));
    });
}

function addAttributeCommands(program: Command): void {
  const attribute = program
    .command('attribute')
    .description('what people may have that row rules look at: quay, district');
  attribute
    .command('list')
    .description('the attributes that people may have')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ attributes: ShownAttribute[] }>('GET', '/api/v1/attributes');
      show(command, answer, ({ attributes }) =>
        table(attributes, [
          { heading: 'attribute', cell: (one) => one.name },
          { heading: 'label', cell: (one) => one.label },
          { heading: 'type', cell: (one) => one.type },
          { heading: 'values', cell: (one) => (one.isMany ? 'several' : 'one') },
        ]),
      );
    });
  attribute
    .command('save <name>')
    .description('declare an attribute, or change what it is')
    .requiredOption('--label <label>', 'what people read')
    .option('--type <type>', 'text, integer, number, boolean, date or instant', 'text')
    .option('--many', 'somebody may have several values', false)
    .action(async (name: string, options: { label: string; type: string; many: boolean }, command: Command) => {
      const body = { label: options.label, type: options.type, isMany: options.many };
      await callApi('PUT', `/api/v1/attributes/${encodeURIComponent(name)}`, { body });
      show(command, { saved: name }, () => line(`The attribute ${name} is saved.`));
    });
}

function addAuditCommands(program: Command): void {
  const audit = program.command('audit').description('the log of every change');
  audit
    .command('list')
    .description('changes, the newest first')
    .option('--who <text>', 'part of the address of who made them')
    .option('--thing <text>', 'part of what was changed, such as "report punctuality"')
    .option('--what <text>', 'part of what was done')
    .option('--from <instant>', 'since then')
    .option('--to <instant>', 'before then')
    .option('--before <number>', 'only older ones than this entry')
    .option('--limit <number>', 'so many', '50')
    .action(async (options: Record<string, string>, command: Command) => {
      const answer = await callApi<{ entries: AuditRecord[] }>('GET', '/api/v1/audit', { query: options });
      show(command, answer, ({ entries }) =>
        table(entries, [
          { heading: 'number', cell: (one) => one.id, isNumber: true },
          { heading: 'when', cell: (one) => shortTime(one.at) },
          { heading: 'who', cell: (one) => one.who },
          { heading: 'what', cell: (one) => one.what },
          { heading: 'thing', cell: (one) => one.thing },
          { heading: 'from', cell: (one) => one.origin },
        ]),
      );
    });
  audit
    .command('check')
    .description('walk the chain of the audit log; ends with 1 when an entry was changed or is missing')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ entries: number; brokenAt?: number }>('GET', '/api/v1/audit/check');
      show(command, answer, ({ entries, brokenAt }) =>
        line(
          brokenAt === undefined
            ? `The chain of ${plural(entries, 'entry', 'entries')} holds.`
            : `The chain is broken at entry ${brokenAt}: it, or one before it, was changed or taken out.`,
        ),
      );
      if (answer.brokenAt !== undefined) process.exitCode = 1;
    });
}

/** People, groups, rights, requests and the audit log. */
export function addPeopleCommands(program: Command): void {
  for (const add of [
    addPersonCommands,
    addAttributeCommands,
    addGroupCommands,
    addGrantCommands,
    addRequestCommands,
    addAuditCommands,
  ])
    add(program);
}
