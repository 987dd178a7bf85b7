import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { chats } from '../../src/channel/models.ts';
import { author, owner, reader, root, SmallHouse } from '../smallHouse.ts';

const portal = 'https://portal.example';
const shell = 'https://shell.example';
const yard = 'https://yard.example';
const chat = 'https://chat.example';
const works = 'https://app.example';

describe('pages that others frame', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    const placement = (origins: string[]) => ({ kind: 'portal', title: 'Works', report: 'works', origins });
    await small.fine('PUT', '/api/v1/placements/old-name', placement([portal, shell]), owner);
    await small.fine('PUT', '/api/v1/placements/old-name/name', { name: 'works-page' }, owner);
    await small.fine('PUT', '/api/v1/placements/elsewhere', placement([yard]), owner);
    await small.fine('PUT', '/api/v1/folders/quays', { title: 'Quays' }, root);
    await small.fine('PUT', '/api/v1/folders/quays/page', { origins: [yard] }, root);
    await small.fine('PUT', '/api/v1/clients/host', { title: 'Host', reports: ['works'] }, owner);
    const app = { title: 'Works', origins: [works], client: 'host' };
    await small.fine('PUT', '/api/v1/apps/works', app, root);
    await small.fine('POST', '/api/v1/apps/works/enable', {}, root);
    await chats(small.house.app).create({
      name: 'crew',
      title: 'Crew',
      homeserver: 'https://matrix.example',
      serverName: 'matrix.example',
      addressDomain: null,
      guestServers: {},
      origins: [chat],
      sealedKey: 'x',
      tellFingerprint: 'x',
      makerId: '',
      madeAt: new Date(),
    } as never);
  });
  after(() => small.close());

  /** What a stranger is sent, with the name taken out. */
  async function sent(path: string, name: string, referrer?: string) {
    const headers: Record<string, string> = referrer === undefined ? {} : { Referer: referrer };
    const answer = await small.house.call('GET', path.replace('NAME', name), { headers });
    const policy = answer.headers.get('content-security-policy')!;
    const others = Object.fromEntries(
      [...answer.headers].filter(
        ([key]) => !['date', 'content-length', 'etag', 'content-security-policy'].includes(key),
      ),
    );
    return { status: answer.status, policy, text: answer.text.replaceAll(name, 'NAME'), others };
  }
  const framersIn = (policy: string) => /frame-ancestors 'self' ?(.*)$/.exec(policy)![1]!.split(' ').filter(Boolean);

  it('are the same for what there is, what was called so, and what there is not, whatever page is around', async () => {
    const pages: readonly (readonly [string, readonly string[]])[] = [
      ['/v/NAME', ['works-page', 'old-name', 'elsewhere', 'nothing', 'works']],
      ['/f/NAME', ['quays', 'nothing', 'works-page']],
      ['/h/NAME', ['crew', 'nothing']],
      ['/t/NAME/works-page', ['crew', 'nothing']],
      ['/a/NAME/panel', ['works', 'nothing']],
      ['/a/NAME/pages', ['works', 'nothing']],
    ];
    const all = [portal, shell, yard, chat, works];
    let looked = 0;
    for (const [path, names] of pages)
      for (const referrer of [undefined, 'https://stranger.example/x', ...all.map((one) => `${one}/page?x=1`)]) {
        const [first, ...rest] = await Promise.all(names.map((name) => sent(path, name, referrer)));
        assert.equal(first!.status, 200);
        for (const other of rest) assert.deepEqual(other, first, `${path} from ${referrer}`);
        looked += names.length;
      }
    assert.equal(looked, 16 * 7);
  });

  it('may be framed by those that any thing names together with the page around', async () => {
    const framers = async (referrer?: string) => framersIn((await sent('/v/NAME', 'nothing', referrer)).policy);
    assert.deepEqual(await framers(`${portal}/intranet`), [portal, shell], 'the shell is around the portal');
    assert.deepEqual(await framers(`${chat}/`), [chat]);
    assert.deepEqual(await framers('https://stranger.example/'), []);
    assert.deepEqual(await framers(small.house.url), [], 'a page of this service needs no leave');
    assert.deepEqual(await framers('not an address'), await framers());
    assert.deepEqual(await framers(), [chat, portal, shell, works, yard].sort());
  });

  it('show nothing within a page that they do not name, and say so to those alone who may see them', async () => {
    const ask = (path: string, host: string, as = reader) =>
      small.house.call('GET', path, { as, headers: { 'Underbell-Host': host } });
    const code = async (path: string, host: string, as = reader) => (await ask(path, host, as)).body.code ?? 'shown';
    const view = '/api/v1/placements/works-page/view';
    for (const host of [portal, shell, small.house.url]) assert.equal(await code(view, host), 'shown', host);
    for (const host of [yard, chat, 'https://stranger.example', 'null', '*'])
      assert.equal(await code(view, host), 'HOST_NOT_NAMED', host);
    const { tokens } = await token();
    const byToken = await small.house.call('GET', view, { token: tokens, headers: { 'Underbell-Host': yard } });
    assert.equal(byToken.body.code, 'HOST_NOT_NAMED');
    assert.equal(await code('/api/v1/placements/nothing/view', yard), 'NOT_FOUND');
    await small.fine('PUT', '/api/v1/users/reader@skerrow.example', { attributes: { quay: ['Q1'] } }, root);
    assert.equal(await code('/api/v1/folders/quays/contents', yard, root), 'shown');
    assert.equal(await code('/api/v1/folders/quays/contents', portal, root), 'HOST_NOT_NAMED');
    assert.equal(
      await code('/api/v1/folders/quays/contents', portal),
      'NOT_FOUND',
      'of what is not theirs they learn nothing',
    );
    for (const part of ['panel', 'pages']) {
      assert.equal(await code(`/api/v1/apps/works/${part}`, works, root), 'shown');
      assert.equal(await code(`/api/v1/apps/works/${part}`, yard, root), 'HOST_NOT_NAMED');
      assert.equal(await code(`/api/v1/apps/works/${part}`, yard, author), 'NOT_FOUND');
    }
    // Who placed it sees where it is shown: a page that may not is none.
    const shown = await small.fine('GET', '/api/v1/placements/works-page', undefined, owner);
    assert.ok(!shown.text.includes('stranger.example') && !shown.text.includes(chat), shown.text);
  });

  async function token(): Promise<{ tokens: string }> {
    const body = { client: 'host', report: 'works', where: { works: "quay = 'Q1'" }, lifetimeSeconds: 600 };
    const made = await small.fine('POST', '/api/v1/tokens', body, owner);
    return { tokens: (made.body as unknown as { access_token: string }).access_token };
  }
});
