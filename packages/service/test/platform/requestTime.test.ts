import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { routes } from '../../src/server.ts';
import { owner, report, SmallHouse } from '../smallHouse.ts';

/** Seconds of computing that one request may take, whatever it holds: the slowest took 28 before. */
const mostSeconds = 2;

const members = (count: number) => Object.fromEntries(Array.from({ length: count }, (_, i) => [`x${i}`, i]));
const nested = (depth: number) => '['.repeat(depth) + ']'.repeat(depth);

/** Bodies that cost the more the longer they are, as text. */
function bodiesOf(bytes: number): Record<string, string> {
  return {
    'unknown members': JSON.stringify(members(Math.floor(bytes / 12))),
    'a long list': JSON.stringify({ items: Array.from({ length: Math.floor(bytes / 4) }, () => ({})) }),
    'lists in lists': nested(Math.floor(bytes / 3)),
    'a long text': JSON.stringify({ email: 'x'.repeat(bytes - 40), password: 'y' }),
    'long names': JSON.stringify(
      Object.fromEntries(Array.from({ length: Math.floor(bytes / 2_100) }, (_, i) => [`${i}${'n'.repeat(2_000)}`, 1])),
    ),
  };
}

describe('a request', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
  });
  after(() => small.close());

  const took: { what: string; seconds: number; status: number }[] = [];
  async function measured(what: string, path: string, init: RequestInit): Promise<Response> {
    const before = process.cpuUsage();
    const answer = await fetch(`${small.house.url}${path}`, init);
    await answer.arrayBuffer();
    const { user, system } = process.cpuUsage(before);
    took.push({ what, seconds: (user + system) / 1e6, status: answer.status });
    return answer;
  }
  const headers = async (isKnown: boolean) => ({
    'Content-Type': 'application/json',
    ...(isKnown ? { Authorization: `Bearer ${await small.house.keyOf(owner)}` } : {}),
  });

  it('is answered in a bounded time, whatever stands in its body, on every route that takes one', async () => {
    const forms = routes.filter((one) => one.body !== undefined && one.consumes === undefined);
    assert.ok(forms.length > 60);
    let isAnyoneSlowed = 0;
    for (const { method, path, audience } of forms) {
      const at = path.replaceAll(/:\w+/g, 'works');
      const isKnown = audience !== 'anyone';
      for (const [what, body] of Object.entries(bodiesOf(isKnown ? 200_000 : 30_000))) {
        // Somebody who is signed in answers for what they send; the two slowest are looked at.
        if (isKnown && what !== 'unknown members' && what !== 'lists in lists') continue;
        const init = { method: method.toUpperCase(), body, headers: await headers(isKnown) };
        const { status } = await measured(`${method} ${path}: ${what}`, at, init);
        assert.ok(status >= 400 && status < 500, `${method} ${path}: ${what}: ${status}`);
        if (status === 429) isAnyoneSlowed++;
      }
    }
    assert.equal(isAnyoneSlowed, 0, 'the limits of strangers are looked at below');
  });

  it('is answered in a bounded time, whatever stands in its address', async () => {
    const query = Array.from({ length: 1_500 }, (_, i) => `x${i}=1`).join('&');
    for (const { method, path, audience } of routes.filter((one) => one.method === 'get')) {
      if (path.includes('events') || path.includes('stream')) continue;
      const at = path.replaceAll(/:\w+/g, 'works');
      const init = {
        method: method.toUpperCase(),
        headers: await headers(audience !== 'anyone'),
        redirect: 'manual' as const,
      };
      await measured(`${path}: a long query`, `${at}?${query}`, init);
      await measured(`${path}: plain`, at, init);
    }
  });

  it('is answered in a bounded time with hundreds of mistakes in a definition', async () => {
    const definition = report();
    const [page] = definition.pages;
    const figures = Array.from({ length: 400 }, (_, i) => ({
      ...page!.figures[i % 3]!,
      name: `f${i}`,
      ...members(3),
      measure: `nothing${i}`,
    }));
    const bodies = {
      'unknown members': { definition: { ...definition, ...members(400) } },
      'unknown members of figures': { definition: report({ pages: [{ ...page, figures }] }) },
      'unknown names': {
        definition: report({
          pages: [
            { ...page, figures: figures.map(({ x0: _0, x1: _1, x2: _2, ...one }: Record<string, unknown>) => one) },
          ],
        }),
      },
    };
    for (const [what, body] of Object.entries(bodies)) {
      const answer = await measured(`report check: ${what}`, '/api/v1/reports/check', {
        method: 'POST',
        body: JSON.stringify(body),
        headers: await headers(true),
      });
      assert.equal(answer.status, 400, what);
    }
  });

  it('took no longer than may be', () => {
    const slowest = took.toSorted((a, b) => b.seconds - a.seconds).slice(0, 5);
    process.stdout.write(
      `requests timed: ${took.length}; slowest ${slowest.map((one) => `${one.seconds.toFixed(2)} s ${one.what}`).join(', ')}\n`,
    );
    assert.ok(took.length > 300);
    assert.deepEqual(
      took.filter((one) => one.seconds > mostSeconds),
      [],
    );
  });

  it('words fifty mistakes at most, and says how many more there are', async () => {
    const answer = await small.house.call('POST', '/api/v1/session', {
      body: { email: 'a@b.example', password: 'x', ...members(400) },
    });
    assert.equal(answer.status, 400);
    const { problems } = answer.body as unknown as { problems: { message: string }[] };
    assert.equal(problems.length, 51);
    assert.match(problems.at(-1)!.message, /350 more/);
  });

  it('of a stranger is small, is read after it is known that nobody has to be signed in, and is counted', async () => {
    const large = { email: 'a@b.example', password: 'x'.repeat(40_000) };
    assert.equal((await small.house.call('POST', '/api/v1/session', { body: large })).body.code, 'INPUT_TOO_LARGE');
    // Nothing that a stranger sends to others' routes is read at all.
    const unread = await small.house.call('POST', '/api/v1/reports/check', { body: members(10) });
    assert.equal(unread.body.code, 'SIGN_IN_NEEDED');
    const codes: string[] = [];
    for (let i = 0; i < 210; i++)
      codes.push((await small.house.call('POST', '/api/v1/invitations/lookup', { body: { wrong: i } })).body.code!);
    assert.equal(codes.at(-1), 'RATE_LIMITED');
    assert.equal(codes[0], 'INPUT_INVALID');
    // What can be read still is: nobody else at the address is kept out.
    const fine = await small.house.call('POST', '/api/v1/session', { body: { email: owner, password: 'wrong' } });
    assert.equal(fine.body.code, 'SIGN_IN_FAILED');
  });
});
