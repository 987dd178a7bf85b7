import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, report, SmallHouse } from '../smallHouse.ts';

const recipients = 5_000;

describe('a list of thousands', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    const line = (_: unknown, i: number) => `R${i},r${i}@skerrow.example,Q${1 + (i % 4)}`;
    const csv = ['id,email,quay', ...Array.from({ length: recipients }, line)].join('\n');
    const list = await small.house.call('PUT', '/api/v1/lists/many?id=id&address=email', { as: author, csv });
    assert.equal(list.status, 200, list.text);
    const definition = report({ name: 'cut', parameters: [{ name: 'quay', type: 'text', column: 'quay' }] });
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, author);
    await small.fine(
      'PUT',
      '/api/v1/bursts',
      {
        format: 'underbell-burst/1',
        name: 'many',
        title: 'Many',
        report: 'cut',
        list: 'many',
        bind: { quay: 'quay' },
        formats: ['csv'],
        fileName: 'works-{id}',
        destination: { kind: 'mail', subject: 'Works', message: 'Here they are.' },
      },
      author,
    );
  });
  after(() => small.close());

  it('is planned, and its run is started, while others are answered', async () => {
    for (const [method, path, body] of [
      ['GET', 'preview', undefined],
      ['POST', 'runs', { isTest: true }],
    ] as const) {
      let isDone = false;
      const asked = small.fine(method, `/api/v1/bursts/many/${path}`, body, author).finally(() => (isDone = true));
      let answered = 0;
      while (!isDone) {
        assert.equal((await small.house.call('GET', '/health/live')).status, 200);
        if (!isDone) answered++;
      }
      const { counts } = (await asked).body as unknown as { counts: { recipients: number; planned: number } };
      assert.deepEqual([counts.recipients, counts.planned], [recipients, (recipients * 1) / 4], path);
      // It computed for so many turns that this cannot be by chance.
      assert.ok(answered >= 5, `${path}: ${answered} answered meanwhile`);
    }
  });
});
