import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, password, reader, report, root, SmallHouse, someWorks } from '../smallHouse.ts';

const shortRetry = 'retry: 2000\n\n';

/** A stream that is being listened to. */
class Listening {
  text = '';
  readonly ended: Promise<void>;
  readonly #stop: AbortController;
  #told: (() => void)[] = [];

  constructor(body: ReadableStream<Uint8Array>, stop: AbortController) {
    this.#stop = stop;
    this.ended = (async () => {
      for await (const part of body.pipeThrough(new TextDecoderStream() as never) as unknown as AsyncIterable<string>) {
        this.text += part;
        for (const told of this.#told.splice(0)) told();
      }
    })().catch(() => undefined);
  }

  /** Until it said so. */
  async heard(words: string): Promise<void> {
    while (!this.text.includes(words)) await new Promise<void>((resolve) => this.#told.push(resolve));
  }

  stop(): Promise<void> {
    this.#stop.abort();
    return this.ended;
  }
}

// Each stream looks by itself every twenty seconds: what has to be at once has half of that, on a slow machine, too.
describe('an open stream of changes', { timeout: 120_000 }, () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    const open = { ...report(), name: 'open', datasets: { fair: {} } };
    const definition = JSON.parse(JSON.stringify(open).replaceAll('"works"', '"fair"')) as object;
    const csv = ['id,quay,kind,cost,day', ...someWorks.slice(0, 3).map((one) => Object.values(one).join(','))].join(
      '\n',
    );
    await small.house.call('PUT', '/api/v1/datasets/fair/file?key=quay=quay', { as: owner, csv });
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, owner);
    await small.fine('PUT', '/api/v1/placements/fair', place('open', 'link'), owner);
    await small.fine('PUT', '/api/v1/placements/works', place('works', 'portal'), owner);
    const board = {
      format: 'underbell-board/1',
      name: 'harbour',
      title: 'Harbour',
      figures: [
        {
          name: 'count',
          report: 'works',
          page: 'all',
          figure: 'count',
          at: { column: 1, row: 1, width: 3, height: 2 },
        },
      ],
    };
    await small.fine('PUT', '/api/v1/boards', { definition: board }, root);
    for (const host of ['host', 'other'])
      await small.fine('PUT', `/api/v1/clients/${host}`, { title: host, reports: ['works'] }, owner);
    await small.fine('PUT', '/api/v1/public-links', { isOn: true }, root);
  });
  after(() => small.close());

  const place = (name: string, kind: string) => ({ kind, title: 'Works', report: name, origins: [] });
  const grant = (kind: string, name: string, holder: object) =>
    small.fine('PUT', '/api/v1/permissions', { holder, thing: { kind, name }, level: 'view' }, root);
  const takeBack = async (kind: string, name: string) => {
    const { grants } = (await small.fine('GET', `/api/v1/permissions?kind=${kind}&name=${name}`, undefined, root))
      .body as unknown as { grants: { id: number; holder: { name: string } }[] };
    const { id } = grants.find(({ holder }) => holder.name === reader || holder.name === 'Readers')!;
    await small.fine('DELETE', `/api/v1/permissions/${id}`, undefined, root);
  };
  const change = (body: object) => small.fine('PUT', `/api/v1/users/${reader}`, body, root);

  async function listen(path: string, key: string): Promise<Listening> {
    const stop = new AbortController();
    const answer = await fetch(`${small.house.url}/api/v1/${path}/events`, {
      headers: { Authorization: `Bearer ${key}` },
      signal: stop.signal,
    });
    assert.equal(answer.status, 200, answer.status === 200 ? '' : await answer.text());
    const listening = new Listening(answer.body!, stop);
    await listening.heard(shortRetry);
    return listening;
  }
  async function session(email = reader): Promise<string> {
    const answer = await fetch(`${small.house.url}/api/v1/session`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ email, password, kind: 'command line' }),
    });
    return ((await answer.json()) as { key: string }).key;
  }
  async function token(client = 'host'): Promise<{ key: string; id: string }> {
    const body = { client, report: 'works', where: { works: "quay = 'Q1'" }, lifetimeSeconds: 600 };
    const made = await small.fine('POST', '/api/v1/tokens', body, owner);
    const key = (made.body as unknown as { access_token: string }).access_token;
    const { jti } = JSON.parse(Buffer.from(key.split('.')[1]!, 'base64url').toString()) as { jti: string };
    return { key, id: jti };
  }
  const beatMs = 20_000;
  /** What a stream said until it ended; it must not have waited for its own next look. */
  async function endsAtOnce(one: Listening, what: string): Promise<void> {
    const late = new Promise<string>((resolve) => setTimeout(() => resolve('late'), beatMs / 2).unref());
    const how = await Promise.race([one.ended.then(() => 'ended'), late]);
    assert.equal(how, 'ended', `${what}: it went on`);
    assert.ok(!/"dataset"|data: \{\}/.test(one.text), `${what}: ${one.text}`);
  }

  it('ends with the session that opened it, however that ends, and those of others go on', async () => {
    const other = await listen('reports/works', await session(author));
    const signOut = (key: string) =>
      fetch(`${small.house.url}/api/v1/session`, { method: 'DELETE', headers: { Authorization: `Bearer ${key}` } });
    const key = await session();
    const first = await listen('reports/works', key);
    assert.equal((await signOut(key)).status, 204);
    await endsAtOnce(first, 'signed out');
    const streams = [await listen('placements/works', await session()), await listen('reports/works', await session())];
    await change({ attributes: { quay: ['Q1', 'Q3'] } });
    await other.heard('"kind":"rights"');
    assert.ok(!other.text.includes('data: {}'), 'nothing that this one sees has changed');
    for (const one of streams) await one.stop();
    await small.fine('PUT', `/api/v1/users/${author}`, { state: 'left' }, root);
    await endsAtOnce(other, 'left');
  });

  it('ends with the right on what it shows, their own or their group’s', async () => {
    const key = await session();
    await takeBack('report', 'works');
    const group = () =>
      small.fine('PUT', '/api/v1/groups/Readers', { members: [reader], owners: [] }, root).then(() => undefined);
    const ways: readonly (readonly [string, () => Promise<unknown>, () => Promise<unknown>])[] = [
      ['own', () => grant('report', 'works', { kind: 'person', name: reader }), () => takeBack('report', 'works')],
      [
        'group’s',
        () => grant('report', 'works', { kind: 'group', name: 'Readers' }),
        () => takeBack('report', 'works'),
      ],
      [
        'member',
        () => grant('report', 'works', { kind: 'group', name: 'Readers' }),
        () => small.fine('PUT', '/api/v1/groups/Readers', { members: [], owners: [] }, root),
      ],
    ];
    for (const [what, give, take] of ways) {
      await give();
      const streams = [await listen('reports/works', key), await listen('placements/works', key)];
      await take();
      for (const one of streams) await endsAtOnce(one, what);
      await group();
    }
    await grant('board', 'harbour', { kind: 'person', name: reader });
    const board = await listen('boards/harbour', key);
    await takeBack('board', 'harbour');
    await endsAtOnce(board, 'board');
    await grant('report', 'works', { kind: 'person', name: reader });
  });

  it('ends with its token, with the client of it, and with a public link; who has others hears that they should look', async () => {
    const [mine, sibling, elsewhere] = [await token(), await token(), await token('other')];
    const streams = await Promise.all([mine, sibling, elsewhere].map(({ key }) => listen('placements/works', key)));
    await small.fine('DELETE', `/api/v1/tokens/${mine.id}`, undefined, owner);
    await endsAtOnce(streams[0]!, 'token');
    // A frame that does not listen may have the token that was revoked.
    await streams[1]!.heard('"kind":"rights"');
    await small.fine('DELETE', '/api/v1/clients/host', undefined, owner);
    const closed = streams[1]!.ended;
    await Promise.race([
      closed,
      new Promise((_, no) => setTimeout(() => no(new Error('it went on')), beatMs / 2).unref()),
    ]);
    assert.ok(!streams[1]!.text.includes('data: {}'), 'no word of what it shows');
    const body = { until: new Date(Date.now() + 86_400_000).toISOString(), note: 'x' };
    const link = (await small.fine('POST', '/api/v1/placements/fair/public-links', body, owner)).body as unknown as {
      id: string;
      url: string;
    };
    const public_ = await listen('placements/fair', link.url.slice(link.url.lastIndexOf('/') + 1));
    await small.fine('DELETE', `/api/v1/public-links/${link.id}`, undefined, owner);
    await endsAtOnce(public_, 'public link');
    assert.ok(!streams[2]!.text.includes('data: {}'));
    await streams[2]!.stop();
  });

  it('tells that what its reader sees is another, once rules, masks or attributes change', async () => {
    const key = await session();
    const ways: readonly (readonly [string, () => Promise<unknown>])[] = [
      ['a rule', () => small.rule("quay IN (person('quay')) AND cost > 0")],
      ['a mask', () => small.mask('hidden', 'Readers', { kind: 'hide', column: 'cost' })],
      ['an attribute', () => change({ attributes: { quay: ['Q2'] } })],
    ];
    for (const [what, make] of ways) {
      const paths = ['reports/works', 'placements/works'];
      const streams = await Promise.all(paths.map((path) => listen(path, key)));
      // What it sees now is known once it has looked.
      await small.upload(someWorks);
      for (const one of streams) await one.heard('"kind":"dataset"');
      await make();
      for (const one of streams) await one.heard('data: {}');
      for (const one of streams) await one.stop();
      assert.ok(what);
    }
  });
});
