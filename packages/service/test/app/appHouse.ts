import assert from 'node:assert/strict';
import type { ShownApp } from '@underbell/core/app';
import type { Answer } from '../house.ts';
import { author, owner, reader, root, SmallHouse } from '../smallHouse.ts';

export const trust = 'trust';
export const ferries = 'ferries';

/** A house with a business app: a record's report in it, two more that companies may have instead, and a program of its own. */
export class AppHouse {
  private constructor(
    readonly small: SmallHouse,
    readonly basic: string,
  ) {}

  static async open(): Promise<AppHouse> {
    const small = await SmallHouse.open();
    const client = { title: 'Works app', reports: ['works'] };
    const said = await small.fine('POST', '/api/v1/clients', { id: 'works-app', ...client }, owner);
    const made = said.body as unknown as { secret: string };
    await small.fine('PUT', '/api/v1/clients/works-app', { ...client, mayNamePersons: true }, root);
    const basic = `Basic ${Buffer.from(`works-app:${made.secret}`).toString('base64')}`;
    const house = new AppHouse(small, basic);
    await house.setUp();
    return house;
  }

  private async setUp(): Promise<void> {
    const { small } = this;
    await small.fine(
      'PUT',
      '/api/v1/apps/works',
      {
        title: 'Harbour works',
        origins: ['https://works.example'],
        client: 'works-app',
        company: { from: 'record', name: 'company' },
      },
      root,
    );
    for (const [name, part] of [
      ['quay-record', {}],
      ['quay-count', { page: 'all', figure: 'count' }],
      ['quay-kinds', { page: 'all', figure: 'by-kind' }],
    ] as const)
      await this.place(name, part);
    await small.fine('PUT', '/api/v1/apps/works/placements/quay-count', { inPanel: true }, root);
    await small.fine('PUT', '/api/v1/apps/works/placements/quay-kinds', { inPanel: true }, root);
    await small.fine(
      'PUT',
      '/api/v1/apps/works/placements/quay-record',
      { inPanel: true, offers: ['quay-count', 'quay-kinds'] },
      root,
    );
    for (const [name, level] of [
      [owner, 'edit'],
      [author, 'view'],
      [reader, 'view'],
    ] as const)
      await small.fine(
        'PUT',
        '/api/v1/permissions',
        { holder: { kind: 'person', name }, thing: { kind: 'app', name: 'works' }, level },
        root,
      );
  }

  /** A placement whose filter names the quay of its record. */
  place(name: string, part: object = {}, where = "quay = record('quay')"): Promise<Answer> {
    const body = {
      kind: 'app',
      title: name,
      report: 'works',
      where: { works: where },
      origins: ['https://works.example'],
      ...part,
    };
    return this.small.fine('PUT', `/api/v1/placements/${name}`, body, owner);
  }

  turn(action: 'enable' | 'disable', as = root): Promise<Answer> {
    return this.small.house.call('POST', `/api/v1/apps/works/${action}`, { as });
  }

  async shown(as = owner): Promise<ShownApp> {
    return (await this.small.fine('GET', '/api/v1/apps/works', undefined, as)).body as unknown as ShownApp;
  }

  /** What the app's server asks for: a token for one record. */
  ask(context: object, change: object = {}): Promise<Answer> {
    const details = [{ type: 'report_view', placement: 'quay-record', context, ...change }];
    return this.small.house.call('POST', '/oauth/token', {
      form: new URLSearchParams({ grant_type: 'client_credentials', authorization_details: JSON.stringify(details) }),
      headers: { Authorization: this.basic },
    });
  }

  /** What the app's server says of a token. */
  tell(what: 'revoke' | 'introspect', token: string): Promise<Answer> {
    const headers = { Authorization: this.basic };
    return this.small.house.call('POST', `/oauth/${what}`, { form: new URLSearchParams({ token }), headers });
  }

  async tokenFor(context: object, change: object = {}): Promise<string> {
    const answer = await this.ask(context, change);
    assert.equal(answer.status, 200, answer.text);
    return (answer.body as unknown as { access_token: string }).access_token;
  }

  look(who: { as?: string; token?: string }, query: string = '', placement = 'quay-record'): Promise<Answer> {
    return this.small.house.call('GET', `/api/v1/placements/${placement}/view${query}`, who);
  }

  choose(company: string, shows: string | null, as = owner, expected?: number): Promise<Answer> {
    const body = { company, shows, ...(expected === undefined ? {} : { expected }) };
    return this.small.house.call('PUT', '/api/v1/apps/works/placements/quay-record/variant', { as, body });
  }

  close(): Promise<void> {
    return this.small.close();
  }
}

/** Names of the figures of an answer. */
export const figuresOf = (answer: Answer): string[] =>
  (answer.body as unknown as { page: { figures: { name: string }[] } }).page.figures.map((one) => one.name);
