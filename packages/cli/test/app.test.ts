import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { AppHouse } from '../../service/test/app/appHouse.ts';
import { author, owner, root } from '../../service/test/smallHouse.ts';
import { commandLineOf } from './underbell.ts';

describe('underbell app, and placements beside records', () => {
  let apps: AppHouse;
  before(async () => (apps = await AppHouse.open()));
  after(() => apps.close());

  const { underbell, fine } = commandLineOf(() => apps.small.house);

  it('know an app, switch it, and say who did', async () => {
    for (const who of [root, owner, author]) await fine(who, 'sign-in', who, '--url', apps.small.house.url);
    const save = [
      'app',
      'save',
      'works',
      '--title',
      'Harbour works',
      '--client',
      'works-app',
      '--company',
      'record.company',
    ];
    assert.match(await fine(root, ...save, '--origin', 'https://works.example'), /client works-app/);
    assert.match((await underbell(root, ...save.slice(0, -1), 'company')).errors, /neither record.FIELD nor user/);
    assert.equal((await underbell(owner, 'app', 'enable', 'works')).code, 3);
    assert.match(await fine(root, 'app', 'enable', 'works'), /Reports enabled in “Harbour works”/);
    assert.match(await fine(owner, 'app', 'list'), /works +Harbour works +enabled +by root@skerrow.example/);
  });

  it('try a placement beside a record, and print what its host pastes', async () => {
    const tried = await fine(owner, 'placement', 'test', 'quay-record', '--record', 'quay=q1');
    assert.match(tried, /record field quay: text, compared with works.quay/);
    assert.match(tried, /works: 0 rows[^]*No row has this quay. Similar values: Q1/);
    assert.match(await fine(owner, 'placement', 'test', 'quay-record'), /RECORD_INCOMPLETE/);
    const least = ['--filter', "works=cost > record('least')", '--record', 'least=130'];
    assert.match(
      await fine(owner, 'placement', 'test', 'quay-record', ...least),
      /record field least: number, compared with works.cost/,
    );
    assert.match(
      (await underbell(owner, 'placement', 'test', 'quay-record', '--filter', 'works=kost > 1')).errors,
      /cost/,
    );
    assert.match(await fine(owner, 'placement', 'snippets', 'quay-record', 'curl'), /authorization_details=/);
    assert.equal((await underbell(owner, 'placement', 'snippets', 'quay-record', 'crul')).code, 2);
  });

  it('choose for a company, and have it back', async () => {
    await fine(owner, 'app', 'set-variant', 'works', 'quay-record', 'trust', 'quay-count');
    await fine(owner, 'app', 'set-variant', 'works', 'quay-record', 'trust');
    const listed = await fine(owner, 'app', 'variants', 'works', 'quay-record');
    const number = /(\d+) +trust +quay-count/.exec(listed)![1]!;
    assert.match(
      await fine(owner, 'app', 'rollback-variant', 'works', 'quay-record', number),
      /Variant of “trust” set: quay-count/,
    );
    assert.match(await fine(owner, 'app', 'show', 'works'), /trust: quay-count/);
    assert.equal((await underbell(author, 'app', 'set-variant', 'works', 'quay-record', 'trust')).code, 3);
  });

  it('keep one’s own panel, and make and share a page', async () => {
    assert.match(
      await fine(author, 'app', 'panel', 'works', '--item', 'quay-kinds'),
      /^quay-kinds[^]*hidden: .*quay-count/,
    );
    await fine(author, 'app', 'save-page', 'works', 'mine', 'works/all/count', 'works/all/rows', '--title', 'Mine');
    assert.equal(
      (await underbell(author, 'app', 'save-page', 'works', 'more', 'works/all', '--title', 'More')).code,
      2,
    );
    assert.match(
      await fine(author, 'app', 'share', 'works', 'mine', owner),
      /Shared with “owner@skerrow.example” \(view\)/,
    );
    assert.match(await fine(owner, 'app', 'pages', 'works'), /mine +Mine +2 figures +view/);
  });

  it('put a placement in, rename the app, take all of it away', async () => {
    await apps.place('quay-more');
    assert.match(await fine(root, 'app', 'add-placement', 'works', 'quay-more', '--in-panel'), /in side panels/);
    await fine(root, 'app', 'remove-placement', 'works', 'quay-more');
    await fine(root, 'app', 'rename', 'works', 'harbour');
    assert.match(await fine(root, 'app', 'show', 'harbour'), /Harbour works: enabled/);
    await fine(root, 'app', 'delete', 'harbour');
    assert.match(await fine(root, 'app', 'list'), /No apps/);
  });
});
