import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { amongNames, changeNames, enqueue, lockResource } from '../../src/platform/index.ts';
import { startWorker } from '../../src/server.ts';
import { until } from '../house.ts';
import { author, owner, report, SmallHouse } from '../smallHouse.ts';

describe('renaming beside saving', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());
  const ask = async <T>(text: string) => (await small.house.app.records.query(text))[0] as T[];
  const lost = () =>
    ask<{ report_name: string; number: number; dataset: string }>(
      `SELECT report_name, number, dataset FROM editions, jsonb_object_keys(definition->'datasets') dataset
       WHERE NOT EXISTS (SELECT FROM datasets WHERE name = dataset)`,
    );

  it('leaves no edition that names a dataset by a name that it has no more', async () => {
    let now = 'works';
    let published = 0;
    for (let turn = 0; turn < 20; turn++) {
      const to = `works-${turn}`;
      const publish = () =>
        small.house.call('POST', '/api/v1/reports', {
          as: author,
          body: {
            definition: JSON.parse(
              JSON.stringify(report({ name: `beside-${turn}` })).replaceAll('"works"', JSON.stringify(now)),
            ) as object,
            notes: '',
          },
        });
      // Now and then the renaming begins later, so that it meets every moment of a publication.
      const [saved, renamed] = await Promise.all([
        publish(),
        new Promise((resolve) => setTimeout(resolve, (turn % 10) * 4)).then(() =>
          small.house.call('PUT', `/api/v1/datasets/${now}/name`, { as: owner, body: { name: to } }),
        ),
      ]);
      assert.ok(renamed.status < 300, renamed.text);
      assert.ok(saved.status < 300 || (saved.status >= 400 && saved.status < 500), saved.text);
      if (saved.status < 300) published++;
      assert.deepEqual(await lost(), [], `turn ${turn}`);
      now = to;
    }
    process.stdout.write(`  ℹ 20 publications beside a renaming: ${published} saved, the others refused\n`);
    assert.ok(published > 0);
    const back = await small.house.call('PUT', `/api/v1/datasets/${now}/name`, { as: owner, body: { name: 'works' } });
    assert.ok(back.status < 300, back.text);
  });

  it('does work anew that looked before and writes after', async () => {
    const { app } = small.house;
    let turns = 0;
    await amongNames(app, async () => {
      if (turns++ === 0) await app.records.transaction(() => changeNamesElsewhere());
      await app.records.transaction(() => lockResource(app, 'report', 'anything'));
    });
    assert.equal(turns, 2);
    async function changeNamesElsewhere(): Promise<void> {
      // Another request has a look of its own.
      await amongNames(app, () => changeNames(app));
    }
  });

  it('mends what was saved under a former name before', async () => {
    const { app } = small.house;
    await app.records.query(
      `UPDATE editions SET definition = jsonb_set(definition, '{datasets}', '{"works-3": {}}') WHERE report_name = 'works'`,
    );
    assert.equal((await lost()).length, (await ask(`SELECT 1 FROM editions WHERE report_name = 'works'`)).length);
    const worker = startWorker(app);
    try {
      await enqueue(app, 'names.repair', {});
      await until(async () => (await lost()).length === 0);
    } finally {
      await worker.stop();
    }
  });
});
