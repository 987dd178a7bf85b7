import { remember, rows, type AccessProvider } from '../platform/index.ts';
import { emailsById, notFound } from '../access/index.ts';
import { calendars } from './models.ts';
import { removeCalendar } from './store.ts';

/** Secret addresses of calendars: one's own, all of them for an administrator. */
export const calendarDoors: AccessProvider = {
  kind: 'calendar',
  async list(app, person) {
    const where = person.isAdministrator ? {} : { personId: person.id };
    const [found, emails] = await Promise.all([rows(calendars(app), { where }), emailsById(app)]);
    return found.map((one) => ({
      id: one.personId,
      title: 'calendar feed of bursts',
      to: 'anyone with the URL',
      limits: 'times and titles of bursts',
      madeBy: emails.get(one.personId) ?? null,
      madeAt: one.madeAt,
      lastUsedAt: one.fetchedAt,
      endsAt: null,
      ending: 'Subscribed calendars stop updating.',
      mayEnd: true,
    }));
  },
  async end(app, person, id, origin) {
    if (!person.isAdministrator && id !== person.id) throw notFound('calendar', id, []);
    await app.records.transaction(async () => {
      if (!(await removeCalendar(app, id))) throw notFound('calendar', id, []);
      const email = (await emailsById(app)).get(id) ?? id;
      await remember(app, { who: person.email, what: 'calendar feed revoked', thing: `person ${email}`, origin });
    });
  },
};
