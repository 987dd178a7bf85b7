import assert from 'node:assert/strict';
import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { setTimeout } from 'node:timers/promises';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import { administrator, House, publisher, until, type DeliveryLog } from '../house.ts';

const main = join(import.meta.dirname, '../../dist/main.mjs');

describe('runs whose workers are killed', () => {
  let house: House;
  const children = new Set<ChildProcess>();
  before(async () => {
    house = await House.open({ hasDemo: true });
    await house.worker!.stop();
    house.worker = undefined;
    // Slowly enough for a kill to come in the middle.
    const body = { kind: 'mail', address: 'mail', limits: ['12 per 1 s'], parallel: 5 };
    const limited = await house.call('PUT', '/api/v1/destinations/mail', { as: administrator, body });
    assert.equal(limited.status, 200, limited.text);
  });
  after(async () => {
    for (const child of children) child.kill('SIGKILL');
    await house.close();
  });

  /** A worker of its own process. */
  async function worker(): Promise<ChildProcess> {
    const child = spawn(process.execPath, ['--enable-source-maps', main], {
      env: { ...process.env, ...house.environment, UNDERBELL_ROLE: 'worker' },
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    });
    children.add(child);
    await new Promise<void>((resolve, reject) => {
      child.once('message', () => resolve());
      child.once('exit', (code) => reject(new Error(`a worker ended with ${code}`)));
    });
    child.removeAllListeners('exit');
    return child;
  }
  async function kill(child: ChildProcess): Promise<void> {
    children.delete(child);
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGKILL');
    await gone;
  }
  async function started(burst: string): Promise<number> {
    const body = { period: '2026-10', again: true };
    const answer = await house.call('POST', `/api/v1/bursts/${burst}/runs`, { as: publisher, body });
    assert.equal(answer.status, 202, answer.text);
    return (answer.body as unknown as { id: number }).id;
  }
  const look = async (id: number) => {
    const answer = await house.call('GET', `/api/v1/runs/${id}`, { as: publisher });
    return answer.status === 200 ? (answer.body as unknown as DeliveryLog) : undefined;
  };
  const ended = (id: number) =>
    until(async () => {
      const run = await look(id);
      return run && run.state !== 'waiting' && run.state !== 'running' ? run : undefined;
    });
  const running = (id: number) => until(async () => ((await look(id))?.state === 'running' ? true : undefined));

  /** Whoever is sent has one letter, whoever is in doubt one or none, and nobody two. */
  function countLetters(run: DeliveryLog, from: number): number {
    const arrived = new Map<string, number>();
    for (const mail of house.mail.mails.slice(from))
      for (const to of mail.to) arrived.set(to, (arrived.get(to) ?? 0) + 1);
    for (const entry of run.entries as (DeliveryLog['entries'][number] & { address: string })[]) {
      const count = arrived.get(entry.address) ?? 0;
      if (entry.state === 'sent') assert.equal(count, 1, `${entry.recipient} is sent`);
      else if (entry.state === 'in doubt') assert.ok(count <= 1, `${entry.recipient} is in doubt`);
      else assert.equal(count, 0, `${entry.recipient} is ${entry.state}`);
    }
    assert.equal(run.counts.sent + run.counts.inDoubt, run.counts.planned);
    assert.equal(run.counts.planned, 46);
    return [...arrived.values()].filter((count) => count > 1).length;
  }

  const { numRuns, seed } = casesOf(1, 20261123);
  const random = randomFrom(seed);

  it('lose no letter and send none twice, whenever it happens', { timeout: 180_000 }, async (t) => {
    let alive = await worker();
    const kills: number[] = [];
    for (let turn = 0; turn < Math.min(numRuns, 5); turn++) {
      const from = house.mail.mails.length;
      const id = await started('quay-pack');
      for (let killed = 0; killed < 2; killed++) {
        await running(id);
        const ms = Math.round(random() * 5_000);
        await setTimeout(ms);
        await kill(alive);
        kills.push(ms);
        alive = await worker();
      }
      const run = await ended(id);
      assert.equal(countLetters(run, from), 0);
      t.diagnostic(
        `${run.counts.sent} sent, ${run.counts.inDoubt} in doubt after kills at ${kills.slice(-2).join(' and ')} ms; seed ${seed}`,
      );
    }
    await kill(alive);
  });

  it('put every file into the library once, without a doubt', { timeout: 120_000 }, async (t) => {
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: { destination: object } }[];
    };
    const { definition } = bursts.find((one) => one.name === 'quay-rows')!;
    const { announce: _, ...destination } = definition.destination as { announce: object };
    await house.call('PUT', '/api/v1/bursts', { as: publisher, body: { ...definition, destination } });
    let alive = await worker();
    const id = await started('quay-rows');
    await running(id);
    await setTimeout(Math.round(random() * 4_000));
    await kill(alive);
    alive = await worker();
    const run = await ended(id);
    assert.deepEqual([run.state, run.counts.sent, run.counts.inDoubt], ['done', 46, 0]);
    const { files } = house.library!;
    assert.equal(files.length, 46);
    for (const file of files) {
      const [quay] = /Q\d{3}/.exec(file)!;
      const [, ...lines] = readFileSync(join(house.folder, 'library', file), 'utf8')
        .trimEnd()
        .split('\r\n');
      assert.equal(lines.length, run.entries.find((one) => one.recipient === quay)!.rows, file);
      assert.ok(
        lines.every((line) => line.startsWith(`${quay},`)),
        file,
      );
    }
    t.diagnostic(`46 files; seed ${seed}`);
    await kill(alive);
  });

  it('go on when the database drops every connection in the middle', { timeout: 180_000 }, async (t) => {
    const alive = await worker();
    for (let turn = 0; turn < Math.min(numRuns, 5); turn++) {
      const from = house.mail.mails.length;
      const id = await started('quay-pack');
      await running(id);
      for (let cut = 0; cut < 2; cut++) {
        await setTimeout(Math.round(200 + random() * 2_500));
        await house.cutConnections();
      }
      const run = await ended(id);
      assert.equal(countLetters(run, from), 0);
      assert.ok(run.counts.inDoubt <= 10, `${run.counts.inDoubt} in doubt`);
      t.diagnostic(`${run.counts.sent} sent, ${run.counts.inDoubt} in doubt; seed ${seed}`);
    }
    await kill(alive);
  });
});
