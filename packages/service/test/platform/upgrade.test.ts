import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { fileURLToPath } from 'node:url';
import { QueryTypes, type Sequelize } from 'sequelize';
import * as first from '../../src/platform/migrations/001-records.ts';
import { migrate } from '../../src/platform/index.ts';
import { openRecords } from '../../src/platform/records/index.ts';
import { startWorker } from '../../src/server.ts';
import { administrator, House, manager, publisher, type DeliveryLog } from '../house.ts';

describe('an installation of the first shape', () => {
  let house: House;
  let old: Sequelize;
  let migrateOld: () => Promise<string[]>;
  const name = () => `${house.databaseName}_old`;
  before(async () => {
    house = await House.open();
    await house.app.records.query(`CREATE DATABASE ${name()}`);
    const url = new URL(house.app.settings.databaseUrl);
    url.pathname = `/${name()}`;
    const settings = { ...house.app.settings, databaseUrl: url.toString() };
    old = openRecords(settings);
    migrateOld = () => migrate({ records: old, settings });
    await old.query(first.up);
    await old.query(`
      CREATE TABLE migrations (name varchar(255) PRIMARY KEY);
      INSERT INTO migrations VALUES ('001-records');
      INSERT INTO people (id, email, name, attributes) VALUES ('p1', 'kira@skerrow.example', 'Kira', '{"quay": ["Q017"], "shift_name": ["late"]}');
      INSERT INTO people (id, email, name, state) VALUES ('p2', 'gone@skerrow.example', 'Gone', 'left');
      INSERT INTO groups VALUES ('Quay managers');
      INSERT INTO group_members VALUES ('Quay managers', 'p1');
      INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level) VALUES ('group', 'Quay managers', 'report', 'r', 'view');
      INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level) VALUES ('group', 'Publishers', 'burst', '*', 'edit');
      INSERT INTO lists VALUES ('managers', '["email"]', 'email', 'email', 1, now());
      INSERT INTO list_rows VALUES ('managers', 1, 0, 'a@skerrow.example', 'a@skerrow.example', '{}');
      INSERT INTO bursts VALUES ('pack', '{}', 'p1');
      INSERT INTO runs (burst_name, occurrence, state, definition, edition_number, revisions, sender_id, created_at) VALUES ('pack', '2026-10', 'done', '{}', 1, '{}', 'p1', now());
      INSERT INTO deliveries (run_id, burst_name, occurrence, recipient, address, state, changed_at) VALUES (1, 'pack', '2026-10', 'Q001', 'a@skerrow.example', 'sent', now());
      INSERT INTO datasets (name, title, columns) VALUES ('sailings', 'Sailings', '[]');
      INSERT INTO record_rules VALUES ('own', 'sailings', 'group', 'Quay managers', 'TRUE');
      INSERT INTO record_rules VALUES ('named', 'sailings', 'person', 'kira@skerrow.example', 'TRUE');
      INSERT INTO record_rules VALUES ('nobody', 'sailings', 'person', 'never@skerrow.example', 'TRUE');
      INSERT INTO grants (holder_kind, holder_name, thing_kind, thing_name, level)
        VALUES ('person', 'kira@skerrow.example', 'dataset', 'sailings', 'own'), ('person', 'never@skerrow.example', 'report', 'r', 'own');
      INSERT INTO reports (name, title, edition_number) VALUES ('punctuality', 'Punctuality', 1);
      INSERT INTO editions (report_name, number, definition, published_by, published_at)
        VALUES ('punctuality', 1, '{"datasets": {"sailings": {}}}', 'A', now());
      INSERT INTO audit (at, who, what, thing, previous_hash, hash)
        VALUES (now(), 'kira@skerrow.example', 'client saved', 'client portal', '', 'h1'),
          (now(), 'kira@skerrow.example', 'edition 1 published', 'report punctuality', 'h1', 'h2');
      INSERT INTO clients (id, title, secret_fingerprint, bounds)
        VALUES ('portal', 'Portal', 'x', '{"reports": ["punctuality"], "actions": ["view"]}');
      INSERT INTO signing_keys VALUES ('k1', '{}', 'sealed', '2026-11-01T00:00:00Z');
      INSERT INTO access_tokens VALUES ('t1', 'portal', '{}', now(), now(), NULL);
      INSERT INTO sessions VALUES ('f', 'p1', 'browser', now(), now());
      INSERT INTO jobs (kind, payload, created_at) VALUES ('burst.run', '{}', now());`);
  });
  after(async () => {
    await old.close();
    await house.app.records.query(`DROP DATABASE ${name()} WITH (FORCE)`);
    await house.close();
  });
  const rows = (text: string) => old.query<Record<string, unknown>>(text, { type: QueryTypes.SELECT });

  it('keeps everything through the upgrade, and gives what is new a value that fits', async () => {
    assert.deepEqual(await migrateOld(), [
      '002-access',
      '003-reports',
      '004-marks',
      '005-runs',
      '006-meter',
      '007-destinations',
      '008-lists',
      '009-cuts',
      '010-letters',
      '011-refreshed',
      '012-costs',
      '013-holidays',
      '014-awaited',
      '015-writers',
      '016-holders',
      '017-queue',
      '018-dialects',
      '019-secrets',
      '020-idempotency',
      '021-taken-away',
      '022-names',
      '023-row-rules',
      '024-placements',
      '025-job-news',
      '026-public-links',
      '027-followed-files',
      '028-column-swaps',
      '029-last-uses',
      '030-folder-pages',
      '031-channels',
      '032-apps',
      '033-screens',
      '034-media',
      '035-screen-pictures',
      '036-key-families',
      '037-rights-news',
      '038-processes',
      '039-directory-users',
      '040-skipped-rows',
      '041-plain-words',
    ]);
    assert.deepEqual(await rows('SELECT id, state, origin FROM people ORDER BY id'), [
      { id: 'p1', state: 'active', origin: 'here' },
      { id: 'p2', state: 'left', origin: 'here' },
    ]);
    assert.deepEqual(await rows('SELECT name, label, type, is_many FROM attributes ORDER BY name'), [
      { name: 'quay', label: 'Quay', type: 'text', is_many: true },
      { name: 'shift_name', label: 'Shift Name', type: 'text', is_many: true },
    ]);
    assert.deepEqual(await rows('SELECT id, root_id, parent_id FROM access_tokens'), [
      { id: 't1', root_id: 't1', parent_id: null },
    ]);
    const [key] = await rows('SELECT algorithm, signs_from = created_at AS same, retired_at FROM signing_keys');
    assert.deepEqual(key, { algorithm: 'ES256', same: true, retired_at: null });
    assert.deepEqual(await rows('SELECT DISTINCT can_pass_on FROM grants'), [{ can_pass_on: false }]);
    // Whoever made bursts makes what bursts need now; copies that were sent went by mail.
    assert.deepEqual(await rows("SELECT thing_kind, level FROM grants WHERE thing_name = '*' ORDER BY thing_kind"), [
      { thing_kind: 'burst', level: 'edit' },
      { thing_kind: 'destination', level: 'edit' },
      { thing_kind: 'template', level: 'edit' },
    ]);
    assert.deepEqual(await rows('SELECT name, kind, state FROM destinations'), [
      { name: 'mail', kind: 'mail', state: 'ready' },
    ]);
    assert.deepEqual(await rows('SELECT state, destination, places FROM deliveries'), [
      { state: 'sent', destination: 'mail', places: null },
    ]);
    assert.deepEqual(await rows('SELECT name, awaits_since FROM bursts'), [{ name: 'pack', awaits_since: null }]);
    assert.deepEqual(await rows('SELECT origin, active_from_column FROM lists'), [
      { origin: null, active_from_column: null },
    ]);
    // Rights and rules are the person's by number; those of nobody open nothing.
    assert.deepEqual(
      await rows("SELECT name, applies_name FROM row_rules WHERE applies_kind = 'person' ORDER BY name"),
      [
        { name: 'named', applies_name: 'p1' },
        { name: 'nobody', applies_name: 'never@skerrow.example' },
      ],
    );
    assert.deepEqual(
      await rows(
        "SELECT thing_kind, thing_name FROM grants WHERE holder_kind = 'person' AND thing_kind IN ('dataset', 'report') AND thing_name <> '*'",
      ),
      [{ thing_kind: 'dataset', thing_name: 'sailings' }],
    );
    // A program goes on reaching what it reached, as far as whoever registered it may decide about the data.
    assert.deepEqual(
      await rows(
        "SELECT thing_kind, thing_name, level, bounded_by FROM grants WHERE holder_kind = 'client' ORDER BY thing_kind",
      ),
      [
        { thing_kind: 'dataset', thing_name: 'sailings', level: 'view', bounded_by: null },
        { thing_kind: 'report', thing_name: 'punctuality', level: 'view', bounded_by: 'p1' },
      ],
    );
    assert.deepEqual(await rows('SELECT writer_id FROM editions'), [{ writer_id: 'p1' }]);
    for (const table of ['group_members', 'sessions', 'clients'])
      assert.equal((await rows(`SELECT * FROM ${table}`)).length, 1, table);
    assert.deepEqual(await rows('SELECT kind FROM jobs ORDER BY id'), [
      { kind: 'burst.run' },
      { kind: 'names.repair' },
    ]);
    assert.deepEqual(await migrateOld(), []);
  });
});

describe('an installation of an earlier version, with its demo and two runs under way', () => {
  let house: House;
  before(async () => {
    house = await House.open({
      dump: fileURLToPath(new URL('./landed/installation-021.sql.gz', import.meta.url)),
      environment: { UNDERBELL_SECRET: 'an installation that is upgraded in a test, and nowhere else' },
    });
  });
  after(() => house.close());
  const ledger = async (id: number) =>
    (await house.call('GET', `/api/v1/runs/${id}`, { as: publisher })).body as unknown as DeliveryLog;

  it('shows what it showed', async () => {
    const view = await house.call('GET', '/api/v1/reports/quay-punctuality/view', { as: manager });
    assert.equal(view.status, 200, view.text);
    const { datasets } = view.body as unknown as { datasets: { limits: { origin: string; name: string }[] }[] };
    assert.ok(datasets[0]!.limits.some((one) => one.origin === 'row rule' && one.name === 'own-quay'));
    const audit = await house.call('GET', '/api/v1/audit-log/verify', { as: administrator });
    assert.deepEqual((audit.body as unknown as { brokenAt?: number }).brokenAt, undefined, audit.text);
  });

  it(
    'goes on with the run that was paused and the one that waited, and sends nothing twice',
    { timeout: 120_000 },
    async () => {
      const before = await ledger(1);
      const sent = before.entries.filter((one) => one.state === 'sent').map((one) => one.recipient);
      assert.deepEqual([before.state, sent.length, (await ledger(2)).state], ['paused', 3, 'waiting']);
      // A burst of the dump is due by its schedule, and would send copies of its own.
      await house.app.records.query('UPDATE bursts SET next_run_at = NULL');
      house.worker = startWorker(house.app);
      const waited = await house.finished(2, publisher);
      assert.deepEqual([waited.state, waited.counts.failed, waited.counts.inDoubt], ['done', 0, 0]);
      const going = await house.call('POST', '/api/v1/runs/1/resume', { as: publisher });
      assert.equal(going.status, 202, going.text);
      const done = await house.finished(1, publisher);
      assert.deepEqual([done.state, done.counts.sent], ['done', 10]);
      const again = done.entries.filter((one) => sent.includes(one.recipient));
      assert.ok(again.every((one) => one.state === 'sent'));
      // Seven copies of the paused run, and those of the one that waited: none for whoever had theirs.
      // What is loaded by the clock may be due just now, and has no source here: its notices are no copies.
      const subjects = house.mail.mails.map(({ raw }) => /^Subject: (.*?)\r?$/m.exec(raw.toString())?.[1] ?? '');
      const copies = subjects.filter((one) => /^(?:Quay pack for|Kiosk takings of) /.test(one));
      assert.equal(copies.length, 7 + waited.counts.sent, subjects.join(', '));
      assert.equal(new Set(copies).size, copies.length);
    },
  );

  it('renames what it brought along', async () => {
    const body = { name: 'pack-of-the-quay' };
    const named = await house.call('PUT', '/api/v1/bursts/quay-pack/name', { as: publisher, body });
    assert.equal(named.status, 200, named.text);
    assert.equal((await ledger(1)).counts.sent, 10);
  });
});
