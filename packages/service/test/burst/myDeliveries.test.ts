import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { startWorker } from '../../src/server.ts';
import { until } from '../house.ts';
import { author, reader, SmallHouse } from '../smallHouse.ts';

const burst = {
  format: 'underbell-burst/1',
  name: 'weekly',
  title: 'Weekly works',
  report: 'works',
  list: 'quays',
  where: { works: "quay = recipient('quay')" },
  rows: { dataset: 'works' },
  period: { unit: 'run' },
  formats: ['csv'],
  fileName: '{burst}-{quay}',
  keep: { days: 5, signIn: false },
  destination: { kind: 'mail', send: 'links', subject: 'x', message: '{links}' },
};

interface Copy {
  readonly title: string;
  readonly files: readonly { readonly name: string; readonly link?: string }[];
}

describe('copies that were sent to somebody', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    small.house.worker = startWorker(small.house.app);
    const csv = `quay,email\nQ1,${reader.toUpperCase()}\n`;
    await small.house.call('PUT', '/api/v1/lists/quays?id=quay', { as: author, csv });
    await small.fine('PUT', '/api/v1/bursts', burst, author);
    await small.fine('POST', '/api/v1/bursts/weekly/runs', {}, author);
    await until(async () => {
      const { body } = await small.house.call('GET', '/api/v1/runs/1/progress', { as: author });
      return (body as unknown as { state: string }).state === 'done' ? true : undefined;
    });
  });
  after(() => small.close());
  const own = async (as: string) =>
    ((await small.house.call('GET', '/api/v1/my/deliveries', { as })).body as unknown as { copies: readonly Copy[] })
      .copies;

  it('are told to them alone, with links that hold', async () => {
    const [copy, ...others] = await own(reader);
    assert.deepEqual([copy!.title, others.length], ['Weekly works', 0]);
    const [file] = copy!.files;
    assert.match(file!.name, /^weekly-Q1/);
    const answer = await fetch(file!.link!);
    assert.equal(answer.status, 200);
    assert.match(await answer.text(), /Q1/);
    assert.deepEqual(await own(author), []);
    assert.equal((await small.house.call('GET', '/api/v1/my/deliveries')).status, 401);
  });

  it('stay on the list without a link once that is taken back, from the list of everything handed out too', async () => {
    const { body } = await small.house.call('GET', '/api/v1/active-access?kind=links%20of%20copies', { as: author });
    const [door] = (body as unknown as { open: { kind: string; id: string; to: string }[] }).open;
    assert.equal(door!.to, 'anyone with the link');
    const doors = [{ kind: door!.kind, id: door!.id }];
    const stranger = await small.house.call('POST', '/api/v1/active-access/revoke', { as: reader, body: { doors } });
    assert.equal((stranger.body as unknown as { ended: number }).ended, 0);
    const ended = await small.house.call('POST', '/api/v1/active-access/revoke', { as: author, body: { doors } });
    assert.equal((ended.body as unknown as { ended: number }).ended, 1);
    const [copy] = await own(reader);
    assert.equal(copy!.files[0]!.link, undefined);
  });
});
