import assert from 'node:assert/strict';
import { createHmac } from 'node:crypto';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage } from 'node:http';
import { createServer as createTcpServer, type AddressInfo, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { strFromU8, unzipSync } from 'fflate';
import { packBook, quayBookParts } from '@underbell/demo/quayBook';
import { startWorker } from '../../src/server.ts';
import { administrator, House, listen, manager, publisher, until, type DeliveryLog } from '../house.ts';

interface Shown {
  readonly state: string;
  readonly reason: string | null;
  readonly testError: string | null;
}

describe('destinations', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());

  const post = (to: string, body: object = {}, as = publisher) => house.call('POST', to, { as, body });
  const library = () => house.library!;
  async function started(burst: string, body: object): Promise<number> {
    const answer = await post(`/api/v1/bursts/${burst}/runs`, { period: '2026-10', ...body });
    assert.equal(answer.status, 202, answer.text);
    return (answer.body as unknown as { id: number }).id;
  }
  const run = async (burst: string, body: object): Promise<DeliveryLog> =>
    house.finished(await started(burst, body), publisher);
  const destination = async (name: string) =>
    (await house.call('GET', `/api/v1/destinations/${name}`, { as: publisher })).body as unknown as Shown;
  async function definitionOf(name: string): Promise<Record<string, unknown>> {
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: Record<string, unknown> }[];
    };
    return bursts.find((one) => one.name === name)!.definition;
  }
  async function sendTo(burst: string, change: object): Promise<void> {
    const definition = { ...(await definitionOf('quay-rows')), name: burst, ...change };
    const put = await house.call('PUT', '/api/v1/bursts', { as: publisher, body: definition });
    assert.equal(put.status, 200, put.text);
  }
  const waiting = (id: number) =>
    until(async () => {
      const run = (await house.call('GET', `/api/v1/runs/${id}`, { as: publisher })).body as unknown as DeliveryLog & {
        phase: string;
      };
      return run.state === 'waiting' && run.phase.startsWith('waits') ? run : undefined;
    });
  const few = { only: ['Q001', 'Q002', 'Q003'] };

  it('fill the prepared workbook of each quay with its own sailings and nobody else’s', async () => {
    const before = house.mail.mails.length;
    const done = await run('quay-book', few);
    assert.deepEqual([done.state, done.counts.sent], ['done', 3]);
    for (const mail of house.mail.mails.slice(before)) {
      const { attachments, replyTo, to } = await house.mail.parse(mail);
      const book = attachments.find((one) => one.filename?.endsWith('.xlsx'))!;
      const quay = /Q\d{3}/.exec(book.filename!)![0];
      const parts = Object.entries(unzipSync(book.content)).map(([name, part]) => [name, strFromU8(part)] as const);
      const sheet = parts.find(([name]) => name === 'xl/worksheets/sheet2.xml')![1];
      const entry = done.entries.find((one) => one.recipient === quay)!;
      assert.equal(sheet.match(/<row /g)!.length, entry.rows + 3);
      for (const [name, text] of parts) {
        const named = new Set(text.match(/\bQ\d{3}\b/g) ?? []);
        assert.ok(
          [...named].every((one) => one === quay),
          `${name} names ${[...named].join()}`,
        );
        assert.doesNotMatch(text, /Corvane Light|Mara Venn/, name);
      }
      assert.match(JSON.stringify(replyTo), /reports@skerrow\.example/);
      assert.ok(to, 'it has an address');
    }
  });

  it('show in the plan what a workbook is filled with, and stop at one that names a recipient', async () => {
    const plan = await house.call('GET', '/api/v1/bursts/quay-book/preview?period=2026-10', { as: publisher });
    const { template } = plan.body as unknown as { template: Record<string, unknown> };
    assert.deepEqual([template['computed'], template['left']], [['Fare each'], ['Remarks']]);
    const parts = quayBookParts();
    const load = (changed: Record<string, string>) =>
      house.call('PUT', '/api/v1/workbook-templates/quay-book?table=Sailings', {
        as: publisher,
        csv: packBook(changed),
        headers: { 'Content-Type': 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet' },
      });
    const named = {
      ...parts,
      'xl/worksheets/sheet1.xml': parts['xl/worksheets/sheet1.xml']!.replace('ROWS(', 'N("Q017")+ROWS('),
    };
    assert.equal((await load(named)).status, 200);
    const refused = await post('/api/v1/bursts/quay-book/runs', { period: '2026-09', ...few });
    assert.deepEqual(
      [refused.status, refused.body.code, refused.body.pointer],
      [500, 'TEMPLATE_LEAK', 'xl/worksheets/sheet1.xml'],
    );
    const macros = await load({ ...parts, 'xl/vbaProject.bin': 'x' });
    assert.deepEqual([macros.status, macros.body.code], [400, 'TEMPLATE_INVALID']);
    assert.equal((await load(parts)).status, 200);
    assert.equal((await house.call('GET', '/api/v1/workbook-templates/quay-book/file', { as: manager })).status, 404);
  });

  it('put files into the library’s folders within its limits, and mail where they lie', async () => {
    let stored = 0;
    library().trouble = ({ method, url }) => {
      if (method === 'PUT' && url?.startsWith('/files/')) stored++;
      return undefined;
    };
    // Turns by the database's own clock, kept though they are forgotten when no limit looks back to them.
    await house.app.records.query(`
      CREATE TABLE turns_seen (at timestamptz);
      CREATE FUNCTION see_turn() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN INSERT INTO turns_seen VALUES (NEW.at); RETURN NULL; END $$;
      CREATE TRIGGER see_turn AFTER INSERT ON destination_turns FOR EACH ROW EXECUTE FUNCTION see_turn();
    `);
    const before = house.mail.mails.length;
    const done = await run('quay-rows', {});
    assert.deepEqual([done.state, done.counts.sent], ['done', 46]);
    assert.equal(library().files.length, 46);
    assert.ok(library().files.includes('Outer Skerrow/Q001 Ostle Quay/sailings-Q001-2026-10.csv'), library().files[0]!);
    const mails = house.mail.mails.slice(before);
    assert.equal(mails.length, 46);
    const { text, attachments } = await house.mail.parse(mails[0]!);
    assert.match(text!, /sailings-Q\d{3}-2026-10\.csv: http:\/\/127\.0\.0\.1:\d+\/files\//);
    assert.equal(attachments.length, 0);
    // Twenty in any two seconds: the twenty-first of every stretch comes later.
    const [turns] = await house.app.records.query(
      'SELECT extract(epoch FROM at)::float8 * 1000 AS at FROM turns_seen ORDER BY 1',
    );
    const times = (turns as { at: number }[]).map((one) => one.at);
    assert.equal(times.length, 46);
    times.forEach((at, i) => {
      const later = times[i + 20];
      if (later !== undefined) assert.ok(later - at >= 1_999, `21 copies in ${Math.round(later - at)} ms`);
    });
    assert.equal(stored, 46);
  });

  it('leave a file as it is that is there already, count the same as arrived, and write over another only when told', async () => {
    library().trouble = () => undefined;
    const same = await run('quay-rows', { ...few, again: true });
    assert.deepEqual([same.state, same.counts.sent], ['done', 3]);
    const path = join(house.folder, 'library', 'Outer Skerrow/Q001 Ostle Quay/sailings-Q001-2026-10.csv');
    const text = readFileSync(path, 'utf8');
    writeFileSync(path, 'somebody’s notes');
    const other = await run('quay-rows', { ...few, again: true });
    assert.deepEqual([other.state, other.counts.sent, other.counts.failed], ['partly', 2, 1]);
    assert.match(other.entries.find((one) => one.state === 'failed')!.reason!, /already exists/);
    assert.equal(readFileSync(path, 'utf8'), 'somebody’s notes');
    const before = await definitionOf('quay-rows');
    await sendTo('quay-rows', { destination: { ...(before['destination'] as object), replace: true } });
    const replaced = await run('quay-rows', { ...few, again: true });
    assert.deepEqual([replaced.state, replaced.counts.sent], ['done', 3]);
    assert.equal(readFileSync(path, 'utf8'), text);
  });

  it('lose nothing and store nothing twice while a library is busy, drops connections and comes back', async () => {
    await house.call('PUT', '/api/v1/destinations/shaky', {
      as: publisher,
      body: { kind: 'library', address: `${await libraryUrl()}/files/shaky`, user: 'reports', password: passwordOf() },
    });
    mkdirSync(join(house.folder, 'library', 'shaky'), { recursive: true });
    await sendTo('shaky-rows', { destination: { kind: 'library', to: 'shaky', folder: '{quay}' } });
    let asked = 0;
    library().trouble = ({ url, method }) => {
      if (!url?.startsWith('/files/shaky') || method !== 'PUT') return undefined;
      asked++;
      return asked % 5 === 2 ? 503 : asked % 5 === 4 ? 'drop' : undefined;
    };
    const id = await started('shaky-rows', { only: ['Q001', 'Q002', 'Q003', 'Q004', 'Q005', 'Q006'] });
    const end = await until(async () => {
      const run = (await house.call('GET', `/api/v1/runs/${id}`, { as: publisher })).body as unknown as DeliveryLog;
      // Should three failures have come in a row, the destination has stopped; somebody opens it again.
      if (run.state === 'waiting') await post('/api/v1/destinations/shaky/resume');
      return run.state === 'waiting' || run.state === 'running' ? undefined : run;
    });
    library().trouble = () => undefined;
    assert.deepEqual([end.state, end.counts.sent, end.counts.inDoubt], ['done', end.counts.planned, 0]);
    assert.equal(library().files.filter((one) => one.startsWith('shaky/')).length, end.counts.planned);
    assert.ok(end.counts.planned >= 5, 'there is something to send');
  });

  it('stop by themselves when they take nothing: the run waits, and can be stopped', async () => {
    const id = await started('harbour-archive', few);
    const run = await waiting(id);
    assert.match(run.phase, /“harbour-archive” is not accepting files: .*full/);
    assert.deepEqual([run.counts.sent, run.counts.failed], [0, 0]);
    const { state, reason } = await destination('harbour-archive');
    assert.equal(state, 'failing');
    assert.match(reason!, /507/);
    assert.equal((await post(`/api/v1/runs/${id}/cancel`)).status, 202);
    const stopped = await house.finished(id, publisher);
    assert.deepEqual([stopped.state, stopped.counts.sent], ['stopped', 0]);
  });

  it('that hang hold up no run to another, and a run that waits for one can be stopped', async () => {
    const asked = new Set<Socket>();
    const hanging = createTcpServer((socket) => void asked.add(socket));
    await new Promise<void>((resolve) => hanging.listen(0, '127.0.0.1', resolve));
    try {
      const { port } = hanging.address() as AddressInfo;
      const body = { kind: 'library', address: `http://127.0.0.1:${port}/`, user: 'a', password: 'b' };
      const saved = await house.call('PUT', '/api/v1/destinations/hanging', { as: publisher, body });
      assert.equal(saved.status, 200, saved.text);
      await house.app.records.query(
        "UPDATE destinations SET state = 'failing', state_at = now() WHERE name = 'hanging'",
      );
      await sendTo('to-hanging', { destination: { kind: 'library', to: 'hanging' } });
      const held = await started('to-hanging', few);
      await until(() => asked.size > 0);
      const other = await run('quay-rows', { ...few, again: true });
      assert.equal(other.state, 'done');
      assert.equal((await waiting(held)).state, 'waiting');
      assert.equal((await post(`/api/v1/runs/${held}/cancel`)).status, 202);
      assert.equal((await house.finished(held, publisher)).state, 'stopped');
      assert.ok(
        [...asked].some((socket) => !socket.destroyed),
        'the look still hangs',
      );
    } finally {
      for (const socket of asked) socket.destroy();
      await new Promise((resolve) => hanging.close(resolve));
    }
  });

  it('make runs wait while somebody has paused them', async () => {
    assert.equal((await post('/api/v1/destinations/quay-library/pause')).status, 200);
    const id = await started('quay-rows', { ...few, again: true });
    assert.match((await waiting(id)).phase, /“quay-library” is paused by Mara Venn/);
    assert.equal((await post('/api/v1/destinations/quay-library/resume')).status, 200);
    assert.equal((await house.finished(id, publisher)).state, 'done');
  });

  it('go on after a worker died: files are put there again, only a letter on the wire is in doubt', async () => {
    await house.worker!.stop();
    const id = await started('quay-rows', { ...few, again: true });
    const set = (recipient: string, change: string) =>
      house.app.records.query(`UPDATE deliveries SET ${change} WHERE run_id = ${id} AND recipient = '${recipient}'`);
    await house.app.records.query(`UPDATE runs SET state = 'running' WHERE id = ${id}`);
    await set('Q001', "state = 'sending'");
    await set('Q002', `state = 'sending', places = '["http://library"]'`);
    house.worker = startWorker(house.app);
    const done = await house.finished(id, publisher);
    assert.deepEqual([done.counts.sent, done.counts.inDoubt], [2, 1]);
    assert.equal(done.entries.find((one) => one.recipient === 'Q002')!.state, 'in doubt');
  });

  it('send a test of what goes into a library by mail to its sender', async () => {
    const before = house.mail.mails.length;
    const test = await run('quay-rows', { ...few, isTest: true });
    assert.equal(test.counts.sent, 3);
    const mails = house.mail.mails.slice(before);
    assert.ok(
      mails.every((mail) => mail.to[0] === publisher),
      'all went to the sender',
    );
    assert.equal((await house.mail.parse(mails[0]!)).attachments.length, 1);
  });

  it('write into a directory of the host, and never out of it or over anything', async () => {
    const put = (as: string) =>
      house.call('PUT', '/api/v1/destinations/share', { as, body: { kind: 'directory', address: 'share/../quays' } });
    assert.equal((await put(publisher)).status, 403);
    assert.equal((await put(administrator)).status, 200);
    await house.call('PUT', '/api/v1/permissions', {
      as: administrator,
      body: {
        holder: { kind: 'person', name: publisher },
        thing: { kind: 'destination', name: 'share' },
        level: 'edit',
      },
    });
    await sendTo('to-share', { destination: { kind: 'directory', to: 'share', folder: '../{quay}/{quay_name}' } });
    const done = await run('to-share', few);
    assert.deepEqual([done.state, done.counts.sent], ['done', 3]);
    const { places } = done.entries.find((one) => one.recipient === 'Q001') as unknown as { places: string[] };
    const root = join(house.folder, 'deliveries');
    assert.ok(places[0]!.startsWith(`file://${root}/`), places[0]!);
    assert.doesNotMatch(places[0]!, /\.\./);
    const file = new URL(places[0]!);
    const text = readFileSync(file, 'utf8');
    assert.equal((await run('to-share', { ...few, again: true })).state, 'done');
    writeFileSync(file, 'notes');
    assert.equal((await run('to-share', { ...few, again: true })).counts.failed, 1);
    assert.equal(readFileSync(file, 'utf8'), 'notes');
    assert.notEqual(text, 'notes');
    symlinkSync(tmpdir(), join(root, 'elsewhere'));
    await house.call('PUT', '/api/v1/destinations/share', {
      as: administrator,
      body: { kind: 'directory', address: 'elsewhere' },
    });
    const out = await run('to-share', { ...few, again: true });
    assert.equal(out.counts.failed, 3);
    assert.match(out.entries[0]!.reason!, /outside the folder for exports/);
  });

  it('tell a program of each copy, signed, and again under the same number until it has heard', async () => {
    const heard: { id: string; body: string; signature: string; time: string }[] = [];
    let answers = [500, 200];
    const receiver = createServer((request: IncomingMessage, response) => {
      let body = '';
      request.on('data', (part: Buffer) => (body += part.toString('utf8')));
      request.on('end', () => {
        const { 'webhook-id': id, 'webhook-signature': signature, 'webhook-timestamp': time } = request.headers;
        heard.push({ id: String(id), body, signature: String(signature), time: String(time) });
        response.writeHead(answers.shift() ?? 200).end();
      });
    });
    const address = `http://127.0.0.1:${await listen(receiver)}/copies`;
    try {
      const saved = await house.call('PUT', '/api/v1/destinations/rota', {
        as: publisher,
        body: { kind: 'webhook', address },
      });
      const { secret } = saved.body as unknown as { secret: string };
      answers = [200];
      assert.equal((await post('/api/v1/destinations/rota/test')).status, 200);
      heard.length = 0;
      answers = [500, 200];
      await sendTo('to-rota', { destination: { kind: 'webhook', to: 'rota' } });
      assert.equal((await run('to-rota', { only: ['Q001'] })).state, 'done');
      assert.equal(heard.length, 2);
      assert.equal(heard[0]!.id, heard[1]!.id);
      const [{ id, body, signature, time }] = heard as [(typeof heard)[number]];
      const key = Buffer.from(secret.slice('whsec_'.length), 'base64');
      assert.equal(signature, `v1,${createHmac('sha256', key).update(`${id}.${time}.${body}`).digest('base64')}`);
      const event = JSON.parse(body) as {
        specversion: string;
        type: string;
        data: { recipient: string; files: { content: string }[] };
      };
      assert.deepEqual([event.specversion, event.type, event.data.recipient], ['1.0', 'burst.copy.made', 'Q001']);
      assert.match(Buffer.from(event.data.files[0]!.content, 'base64').toString('utf8'), /^quay_id,/);
      const again = await house.call('PUT', '/api/v1/destinations/rota', {
        as: publisher,
        body: { kind: 'webhook', address },
      });
      assert.equal('secret' in again.body, false);
    } finally {
      receiver.closeAllConnections();
      await new Promise((resolve) => receiver.close(resolve));
    }
  });

  it('are tried out really, and say what is wrong', async () => {
    const good = await post('/api/v1/destinations/quay-library/test');
    assert.match((good.body as unknown as { words: string }).words, /written, not overwritten, read back and deleted/);
    const wrong = { kind: 'library', address: `${await libraryUrl()}/files`, user: 'reports', password: 'no' };
    await house.call('PUT', '/api/v1/destinations/wrong', { as: publisher, body: wrong });
    const closed = await post('/api/v1/destinations/wrong/test');
    assert.deepEqual([closed.status, closed.body.code], [502, 'DESTINATION_CLOSED']);
    assert.match((await destination('wrong')).testError!, /401/);
    assert.doesNotMatch((await house.call('GET', '/api/v1/destinations', { as: publisher })).text, /"no"|whsec|sealed/);
  });

  it('refuse addresses, limits and bursts that cannot be meant', async () => {
    const put = (name: string, body: object) =>
      house.call('PUT', `/api/v1/destinations/${name}`, { as: publisher, body });
    const cases: [object, string, RegExp][] = [
      [{ kind: 'library', address: 'http://files.example/x' }, 'INPUT_INVALID', /TLS/],
      [{ kind: 'library', address: 'https://u:p@files.example/x' }, 'INPUT_INVALID', /credentials/],
      [{ kind: 'library', address: 'https://169.254.169.254/x' }, 'ADDRESS_FORBIDDEN', /private network/],
      [{ kind: 'webhook', address: 'ftp://files.example' }, 'INPUT_INVALID', /cannot use “ftp:”/],
      [
        { kind: 'library', address: 'https://files.example', limits: ['many'] },
        'INPUT_INVALID',
        /“many” is not a valid rate limit/,
      ],
      [{ kind: 'pigeon', address: 'https://files.example' }, 'INPUT_INVALID', /kind/],
    ];
    for (const [body, code, message] of cases) {
      const answer = await put('new-one', body);
      assert.equal(answer.body.code, code, answer.text);
      assert.match(answer.text, message);
    }
    const burst = await definitionOf('quay-rows');
    const save = (change: object) =>
      house.call('PUT', '/api/v1/bursts', { as: publisher, body: { ...burst, ...change } });
    const unknown = await save({ destination: { kind: 'library', to: 'quay-librar' } });
    assert.deepEqual([unknown.status, unknown.body.nearest?.[0]], [404, 'quay-library']);
    assert.match(
      (await save({ destination: { kind: 'webhook', to: 'quay-library' } })).text,
      /has type library, not webhook/,
    );
    assert.match(
      (await save({ destination: { kind: 'library', to: 'quay-library', folder: '{quai}' } })).text,
      /unknown placeholder “{quai}”/,
    );
    assert.match((await save({ empty: 'note' })).text, /without rows needs email/);
    assert.match((await save({ formats: ['template'] })).text, /needs a workbook template/);
    assert.equal(
      (await house.call('DELETE', '/api/v1/destinations/quay-library', { as: publisher })).body.code,
      'IN_USE',
    );
    assert.equal((await house.call('GET', '/api/v1/destinations/quay-library', { as: manager })).status, 404);
  });

  async function libraryUrl(): Promise<string> {
    const { address } = (await destination('quay-library')) as unknown as { address: string };
    return new URL(address).origin;
  }
  const passwordOf = () => house.libraryPassword;
});
