import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, report, SmallHouse, someWorks } from '../smallHouse.ts';

describe('a stream of changes that begins after the change', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());

  /** What a stream says until it says that something changed; it is closed then, or when it was told of nothing. */
  async function heard(words: string, isExpected: boolean, as = author): Promise<string> {
    const key = await small.house.keyOf(as);
    const stop = new AbortController();
    const answer = await fetch(`${small.house.url}/api/v1/reports/works/events?${words}`, {
      headers: { Authorization: `Bearer ${key}` },
      signal: stop.signal,
    });
    assert.equal(answer.status, 200, words);
    let text = '';
    const reading = (async () => {
      for await (const part of answer.body!.pipeThrough(new TextDecoderStream())) {
        text += part;
        if (/event: changed/.test(text)) return;
      }
    })().catch(() => undefined);
    // For what never comes, a moment is enough; what comes is waited for.
    const moment = new Promise<void>((resolve) => setTimeout(resolve, 400));
    await (isExpected ? reading : Promise.race([reading, moment]));
    stop.abort();
    await reading;
    return text;
  }
  interface Shown {
    readonly datasets: readonly { readonly dataset: string; readonly revision: number }[];
    readonly report: { readonly edition: number };
  }
  const shown = async () => (await small.view(author)).body as unknown as Shown;

  it('tells at once of data and editions that its reader does not have', async () => {
    const { datasets, report: was } = await shown();
    const [{ dataset, revision }] = datasets as [Shown['datasets'][number]];
    const words = `since=${dataset}:${revision}&edition=${was.edition}`;
    assert.ok(!(await heard(words, false)).includes('changed'), 'nothing changed yet');
    await small.upload(someWorks.slice(0, 20));
    assert.match(await heard(words, true), /event: changed\ndata: \{\}/);
    const next = await shown();
    await small.fine('POST', '/api/v1/reports', { definition: report({ title: 'Next' }), notes: '' }, author);
    const late = `since=${dataset}:${next.datasets[0]!.revision}&edition=${next.report.edition}`;
    assert.match(await heard(late, true), /event: changed/);
  });

  it('tells nothing of datasets that are not looked at, whether they are there or not', async () => {
    const body = 'id,quay\n1,Q1';
    const made = await small.house.call('PUT', '/api/v1/datasets/secret/file', { as: owner, csv: body });
    assert.equal(made.status, 200, made.text);
    for (const words of ['since=secret:1', 'since=secret:99', 'since=nothing:1', 'since=:', 'since=works', ''])
      assert.ok(!(await heard(words, false, reader)).includes('changed'), words);
  });
});
