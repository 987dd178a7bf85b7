import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { routes } from '../../src/server.ts';
import { owner, root, SmallHouse } from '../smallHouse.ts';

describe('what is asked for a thing that is not there', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());

  it('is refused in words by every route, also to an administrator, and breaks nothing', async () => {
    const asked = routes.filter((one) => one.path.includes(':') && one.audience !== 'anyone');
    const broken: string[] = [];
    let count = 0;
    for (const { method, path } of asked)
      for (const [part, as] of [
        ['none-such', root],
        ['999999', root],
        ['none-such', owner],
      ] as const) {
        count++;
        const at = path.replaceAll(/:\w+/g, part);
        const { status, body } = await small.house.call(method.toUpperCase(), at, {
          as,
          ...(method === 'get' || method === 'delete' ? {} : { body: {} }),
        });
        if (status >= 500 && body.code !== 'FORMAT_UNKNOWN')
          broken.push(`${method} ${at} as ${as}: ${status} ${body.code}`);
      }
    process.stdout.write(`  ℹ ${count} questions to ${asked.length} routes\n`);
    assert.ok(asked.length > 100);
    assert.deepEqual(broken, []);
  });
});
