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
    assert.match(await fine(root, ...save, '--origin', 'https://works.example'), /asks for tokens as works-app/);
    assert.match((await underbell(root, ...save.slice(0, -1), 'company')).errors, /neither record.FIELD nor person/);
    assert.equal((await underbell(owner, 'app', 'on', 'works')).code, 3);
    assert.match(await fine(root, 'app', 'on', 'works'), /Reports are on in Harbour works/);
    assert.match(await fine(owner, 'app', 'list'), /works +Harbour works +on +by root@skerrow.example/);
  });

  it('try a placement beside a record, and print what its host pastes', async () => {
    const tried = await fine(owner, 'place', 'try', 'quay-record', '--record', 'quay=q1');
    assert.match(tried, /record field quay: text, beside works.quay/);
    assert.match(tried, /works: 0 rows[^]*no row has this quay; there is Q1/);
    assert.match(await fine(owner, 'place', 'try', 'quay-record'), /RECORD_INCOMPLETE/);
    const least = ['--where', "works=cost > record('least')", '--record', 'least=130'];
    assert.match(
      await fine(owner, 'place', 'try', 'quay-record', ...least),
      /record field least: number, beside works.cost/,
    );
    assert.match((await underbell(owner, 'place', 'try', 'quay-record', '--where', 'works=kost > 1')).errors, /cost/);
    assert.match(await fine(owner, 'place', 'lines', 'quay-record', 'curl'), /authorization_details=/);
    assert.equal((await underbell(owner, 'place', 'lines', 'quay-record', 'crul')).code, 2);
  });

  it('choose for a company, and have it back', async () => {
    await fine(owner, 'app', 'choose', 'works', 'quay-record', 'trust', 'quay-count');
    await fine(owner, 'app', 'choose', 'works', 'quay-record', 'trust');
    const listed = await fine(owner, 'app', 'choices', 'works', 'quay-record');
    const number = /(\d+) +trust +quay-count/.exec(listed)![1]!;
    assert.match(await fine(owner, 'app', 'back', 'works', 'quay-record', number), /trust has quay-count there now/);
    assert.match(await fine(owner, 'app', 'show', 'works'), /trust has quay-count/);
    assert.equal((await underbell(author, 'app', 'choose', 'works', 'quay-record', 'trust')).code, 3);
  });

  it('keep one’s own panel, and make and share a page', async () => {
    assert.match(
      await fine(author, 'app', 'panel', 'works', '--has', 'quay-kinds'),
      /^quay-kinds[^]*left out: .*quay-count/,
    );
    await fine(author, 'app', 'page', 'works', 'mine', 'works/all/count', 'works/all/rows', '--title', 'Mine');
    assert.equal((await underbell(author, 'app', 'page', 'works', 'more', 'works/all', '--title', 'More')).code, 2);
    assert.match(await fine(author, 'app', 'share', 'works', 'mine', owner), /owner@skerrow.example may view it now/);
    assert.match(await fine(owner, 'app', 'pages', 'works'), /mine +Mine +2 figures +view/);
  });

  it('put a placement in, rename the app, take all of it away', async () => {
    await apps.place('quay-more');
    assert.match(await fine(root, 'app', 'place', 'works', 'quay-more', '--in-panel'), /in side panels/);
    await fine(root, 'app', 'take-out', 'works', 'quay-more');
    await fine(root, 'app', 'rename', 'works', 'harbour');
    assert.match(await fine(root, 'app', 'show', 'harbour'), /Harbour works: on/);
    await fine(root, 'app', 'remove', 'harbour');
    assert.match(await fine(root, 'app', 'list'), /no app that you may see/);
  });
});
