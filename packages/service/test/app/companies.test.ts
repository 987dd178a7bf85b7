import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, root } from '../smallHouse.ts';
import { AppHouse, ferries, figuresOf, trust } from './appHouse.ts';

describe('what a company has in a place of an app', () => {
  let apps: AppHouse;
  before(async () => {
    apps = await AppHouse.open();
    await apps.turn('enable');
  });
  after(() => apps.close());
  const figuresSeenIn = async (company: string) =>
    figuresOf(await apps.look({ token: await apps.tokenFor({ quay: 'Q1', company }) }));
  const choices = async () => (await apps.shown()).places.find((one) => one.placement === 'quay-record')!.companies;

  it('is the standard until it is replaced; another company keeps its own', async () => {
    assert.deepEqual(await figuresSeenIn(trust), ['count', 'by-kind', 'rows']);
    assert.equal((await apps.choose(trust, 'quay-count')).status, 200);
    assert.deepEqual(await figuresSeenIn(trust), ['count']);
    assert.deepEqual(await figuresSeenIn(ferries), ['count', 'by-kind', 'rows']);
    // Who looks without a company, or as one that chose nothing, has the standard.
    assert.deepEqual(figuresOf(await apps.look({ as: owner }, '?record=quay:Q1')), ['count', 'by-kind', 'rows']);
    const asTrust = '?record=quay:Q1&record=company:trust';
    assert.deepEqual(
      figuresOf(await apps.look({ as: owner }, asTrust)),
      ['count'],
      'who sets the app up sees what each has',
    );
    const standard = ['count', 'by-kind', 'rows'];
    assert.deepEqual(
      figuresOf(await apps.look({ as: reader }, asTrust)),
      standard,
      'nobody else is of a company by an address',
    );
  });

  it('is chosen by who may edit the app, out of what is offered there', async () => {
    for (const as of [author, reader])
      assert.equal((await apps.choose(trust, 'quay-kinds', as)).body.code, 'NOT_ALLOWED');
    const unknown = await apps.choose(trust, 'quay-cuont');
    assert.deepEqual([unknown.body.code, unknown.body['nearest']], ['INPUT_INVALID', ['quay-count']]);
    assert.equal((await apps.choose(trust, 'quay-record')).body.code, 'INPUT_INVALID');
    assert.deepEqual(await figuresSeenIn(trust), ['count']);
  });

  it('is rolled back, and two who choose at once are told apart', async () => {
    const [last] = await choices();
    const both = await Promise.all([
      apps.choose(trust, 'quay-kinds', owner, last!.id),
      apps.choose(trust, null, root, last!.id),
    ]);
    assert.deepEqual(both.map((one) => one.status).sort(), [200, 409]);
    const [now] = await choices();
    assert.ok(now!.counts);
    const back = await apps.small.house.call('POST', '/api/v1/apps/works/placements/quay-record/variant/rollback', {
      as: owner,
      body: { id: last!.id, expected: now!.id },
    });
    assert.equal(back.status, 200, back.text);
    assert.deepEqual(await figuresSeenIn(trust), ['count']);
    assert.deepEqual((await choices()).map((one) => one.counts).slice(0, 2), [true, false]);
  });

  it('moves with the token: one for another report opens nothing, and a new one shows what stands there now', async () => {
    const held = await apps.tokenFor({ quay: 'Q1', company: trust });
    assert.equal((await apps.choose(trust, 'quay-kinds')).status, 200);
    assert.deepEqual(figuresOf(await apps.look({ token: held })), ['by-kind']);
    // Neither does an exchange bring another company's choice to a token that has a company.
    const exchanged = await apps.small.house.call('POST', '/oauth/token', {
      form: new URLSearchParams({
        grant_type: 'urn:ietf:params:oauth:grant-type:token-exchange',
        subject_token: held,
        subject_token_type: 'urn:ietf:params:oauth:token-type:access_token',
        authorization_details: JSON.stringify([{ type: 'report_view', context: { company: ferries } }]),
      }),
      headers: { Authorization: apps.basic },
    });
    assert.equal(exchanged.body.code, 'TOKEN_WIDENS');
  });

  it('falls back to the standard when what was chosen is offered no more, or is gone', async () => {
    await apps.small.fine('PUT', '/api/v1/apps/works/placements/quay-record', { offers: ['quay-count'] }, root);
    assert.deepEqual(await figuresSeenIn(trust), ['count', 'by-kind', 'rows']);
    assert.equal((await apps.choose(trust, 'quay-count')).status, 200);
    await apps.small.fine('DELETE', '/api/v1/apps/works/placements/quay-count', undefined, root);
    assert.deepEqual(await figuresSeenIn(trust), ['count', 'by-kind', 'rows']);
    // Neither does it come back by itself.
    await apps.small.fine('PUT', '/api/v1/apps/works/placements/quay-count', {}, root);
    await apps.small.fine('PUT', '/api/v1/apps/works/placements/quay-record', { offers: ['quay-count'] }, root);
    assert.deepEqual(await figuresSeenIn(trust), ['count', 'by-kind', 'rows']);
  });

  it('is told by the person where the app says so: somebody of several companies is of none of them', async () => {
    const setup = { title: 'Harbour works', client: 'works-app', company: { from: 'person', name: 'quay' } };
    await apps.small.fine('PUT', '/api/v1/apps/works', setup, root);
    await apps.small.fine('PUT', '/api/v1/apps/works/placements/quay-record', { offers: ['quay-kinds'] }, root);
    assert.equal((await apps.choose('Q1', 'quay-kinds')).status, 200);
    assert.deepEqual(figuresOf(await apps.look({ as: reader }, '?record=quay:Q1')), ['by-kind']);
    assert.deepEqual(figuresOf(await apps.look({ as: root }, '?record=quay:Q1')), ['count', 'by-kind', 'rows']);
    // What the host says of a company counts no more, and what it says of the person does.
    assert.deepEqual(await figuresSeenIn('Q1'), ['count', 'by-kind', 'rows']);
    const named = await apps.tokenFor({ quay: 'Q1' }, { person: reader });
    assert.deepEqual(figuresOf(await apps.look({ token: named })), ['by-kind']);
  });
});
