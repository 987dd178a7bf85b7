import assert from 'node:assert/strict';
import type { ThingKind, RightLevel } from '@underbell/core/access';
import { addGroup, addPerson, putGrant } from '../src/access/index.ts';
import { hashPassword } from '../src/platform/index.ts';
import { House, type Answer, type HouseOptions } from './house.ts';

export const password = 'brass lantern over the quay';
export const root = 'root@skerrow.example';
/** Owns the dataset `works`, and everything about it. */
export const owner = 'owner@skerrow.example';
/** Makes reports, and sees the rows of Q1 alone. */
export const author = 'author@skerrow.example';
/** Reads reports, and sees the rows of Q1 alone. */
export const reader = 'reader@skerrow.example';

export interface Work {
  readonly id: number;
  readonly quay: string;
  readonly kind: string;
  readonly cost: number;
  readonly day: string;
}

export const someWorks: readonly Work[] = Array.from({ length: 40 }, (_, i) => ({
  id: i + 1,
  quay: `Q${1 + (i % 4)}`,
  kind: ['dredging', 'painting', 'lights'][i % 3]!,
  cost: 100 + Math.round(i * 73) / 10,
  day: `2026-10-${String(1 + (i % 28)).padStart(2, '0')}`,
}));

export const report = (change: object = {}, figure: object = {}) => ({
  format: 'underbell-report/1',
  name: 'works',
  title: 'Works',
  datasets: { works: {} },
  parameters: [{ name: 'least', type: 'number', column: 'cost' }],
  measures: {
    rows: { label: 'Rows', expression: 'count()', dataset: 'works' },
    cost: { label: 'Cost', expression: 'sum(cost)', dataset: 'works' },
  },
  pages: [
    {
      name: 'all',
      title: 'All',
      figures: [
        {
          kind: 'number',
          name: 'count',
          title: 'Count',
          measure: 'rows',
          beside: 'cost',
          at: { column: 1, row: 1, width: 3, height: 2 },
          ...figure,
        },
        {
          kind: 'bar',
          name: 'by-kind',
          dataset: 'works',
          title: 'By kind',
          by: 'kind',
          measure: 'rows',
          at: { column: 1, row: 3, width: 6, height: 6 },
        },
        {
          kind: 'table',
          name: 'rows',
          dataset: 'works',
          title: 'Rows',
          columns: ['id', 'quay', 'kind', 'cost'],
          limit: 500,
          at: { column: 1, row: 9, width: 12, height: 8 },
        },
      ],
    },
  ],
  ...change,
});

/** A house with one dataset, whose rows are told apart by quay, and people of different rights on it. */
export class SmallHouse {
  readonly house: House;
  private constructor(house: House) {
    this.house = house;
  }

  static async open(options: HouseOptions = {}): Promise<SmallHouse> {
    const small = new SmallHouse(await House.open(options));
    await small.#furnish();
    return small;
  }

  async #furnish(): Promise<void> {
    const { app } = this.house;
    const passwordHash = await hashPassword(password);
    await app.records.transaction(async () => {
      await addPerson(app, { email: root, name: 'Root', passwordHash, isAdministrator: true });
      for (const name of ['Readers', 'Makers']) await addGroup(app, { name });
      const quay = { quay: ['Q1'] };
      await addPerson(app, { email: owner, name: 'Owner', passwordHash, attributes: { quay: ['Q1'] } });
      await addPerson(app, { email: author, name: 'Author', passwordHash, attributes: quay, groups: ['Makers'] });
      await addPerson(app, { email: reader, name: 'Reader', passwordHash, attributes: quay, groups: ['Readers'] });
      const give = (name: string, kind: ThingKind, level: RightLevel, thing = '*') =>
        putGrant(app, { holder: { kind: 'person', name }, thing: { kind, name: thing }, level });
      for (const kind of ['dataset', 'report', 'client', 'source', 'list', 'burst', 'destination'] as const)
        await give(owner, kind, 'own');
      for (const kind of ['report', 'client', 'list', 'burst'] as const) await give(author, kind, 'own');
      await give(author, 'dataset', 'view', 'works');
      await give(reader, 'report', 'export', 'works');
      await give(reader, 'dataset', 'export', 'works');
    });
    for (const email of [root, owner, author, reader]) await this.house.keyOf(email, password);
    await this.upload(someWorks);
    await this.rule("quay IN (person('quay'))");
    await this.fine('POST', '/api/v1/reports', { definition: report(), notes: '' }, author);
  }

  /** Something that must work. */
  async fine(method: string, path: string, body: unknown, as: string): Promise<Answer> {
    const answer = await this.house.call(method, path, { as, ...(body === undefined ? {} : { body }) });
    assert.ok(answer.status < 300, `${method} ${path}: ${answer.text}`);
    return answer;
  }

  async upload(works: readonly Work[]): Promise<void> {
    const lines = works.map((one) => [one.id, one.quay, one.kind, one.cost, one.day].join(','));
    const csv = ['id,quay,kind,cost,day', ...lines].join('\n');
    const answer = await this.house.call('PUT', '/api/v1/datasets/works/file?key=quay=quay', { as: owner, csv });
    assert.equal(answer.status, 200, answer.text);
  }

  rule(where: string): Promise<Answer> {
    return this.fine(
      'PUT',
      '/api/v1/datasets/works/row-rules/own-quay',
      { appliesTo: { kind: 'everyone' }, where },
      owner,
    );
  }

  mask(name: string, group: string, effect: object): Promise<Answer> {
    const appliesTo = { kind: 'group', name: group };
    return this.fine('PUT', `/api/v1/datasets/works/masks/${name}`, { appliesTo, effect }, owner);
  }

  view(as: string, query: Readonly<Record<string, string>> = {}): Promise<Answer> {
    return this.house.call('GET', `/api/v1/reports/works/view?${new URLSearchParams(query)}`, { as });
  }

  close(): Promise<void> {
    return this.house.close();
  }
}

/** The cells of one figure of an answer. */
export const rowsOf = (answer: Answer, figure: string): (string | number | null)[][] =>
  (answer.body as unknown as { results: Record<string, { rows: (string | number | null)[][] }> }).results[figure]!.rows;
