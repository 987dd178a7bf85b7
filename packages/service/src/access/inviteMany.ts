import type { InvitedPeople, PersonViewer } from '@underbell/core/access';
import { settleInvalidRows, type InvalidRowAction } from '@underbell/core/check';
import { isRefusal, type Problem } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { checkInvitation, invitationNames, lockInvitations, putInvitation, type Invitation } from './people.ts';
import { readPeople } from './peopleText.ts';
import { requireAdministrator } from './rights.ts';
import { listPersonRows } from './store.ts';

export interface InviteMany {
  /** A table with headings, or one person in a line. */
  readonly text: string;
  readonly words: string;
  readonly invalidRows: InvalidRowAction;
  /** Whether nobody is invited yet. */
  readonly isPreview: boolean;
}

/**
 * Invites everybody whom a text names, with groups and attributes, all of them or none. Who is here or invited already stays as
 * they are: the same text can be sent twice.
 *
 * @throws {Refusal} `NOT_ALLOWED`, `FILE_MALFORMED`, `FILE_EMPTY`, `INPUT_TOO_LARGE`, `INPUT_INVALID` with every invalid row
 */
export async function inviteMany(
  app: App,
  by: PersonViewer,
  { text, words, invalidRows, isPreview }: InviteMany,
  origin: string,
): Promise<InvitedPeople> {
  requireAdministrator(by);
  const read = readPeople(text);
  return app.records.transaction(async () => {
    if (!isPreview) await lockInvitations(app);
    const [names, everyone] = [await invitationNames(app), await listPersonRows(app)];
    const here = new Set(everyone.map((one) => one.email));
    const problems: Problem[] = [...read.problems];
    const invitations: Invitation[] = [];
    const known: string[] = [];
    for (const { row, ...person } of read.people) {
      const invitation = { ...person, rights: [], words };
      try {
        await checkInvitation(app, by, invitation, names);
        if (here.has(person.email)) known.push(person.email);
        else invitations.push(invitation);
      } catch (error) {
        if (!isRefusal(error)) throw error;
        const { message, details } = error;
        problems.push({ at: `row ${row}`, message, ...(details.hint ? { hint: details.hint } : {}) });
      }
    }
    const counts = { all: read.rows, valid: invitations.length + known.length };
    const skipped = settleInvalidRows('INPUT_INVALID', counts, problems, invalidRows) ?? null;
    if (!isPreview) for (const one of invitations) await putInvitation(app, by, one, origin);
    const invited = invitations.map(({ email, name, organisation = null, groups, attributes }) => ({
      email,
      name,
      organisation,
      groups,
      attributes,
    }));
    return { invited, known, skipped, isPreview };
  });
}
