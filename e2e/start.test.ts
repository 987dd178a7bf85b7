import assert from 'node:assert/strict';
import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { ownPorts } from '../packages/service/test/ports.ts';
import { runFlags } from '../scripts/bundle.mjs';
import { root } from '../scripts/install.mjs';

const testFolder = process.env['UNDERBELL_TEST_FOLDER']!;

class Start {
  out = '';
  code: number | null | undefined;
  readonly #child: ChildProcess;

  constructor(folder: string, port: number, args: string[] = []) {
    this.#child = spawn(process.execPath, [...runFlags, join(root, 'dist/start/main.mjs'), ...args], {
      cwd: root,
      env: { ...process.env, UNDERBELL_DATA: folder, UNDERBELL_PORT: String(port), UNDERBELL_LOG_LEVEL: 'info' },
    });
    this.#child.stdout!.on('data', (chunk) => (this.out += String(chunk)));
    this.#child.stderr!.on('data', (chunk) => (this.out += String(chunk)));
    this.#child.on('exit', (code) => (this.code = code));
  }

  /** Waits until it runs, or has ended. */
  async settled(): Promise<this> {
    while (!this.out.includes('Ctrl-C stops everything') && this.code === undefined)
      await new Promise((resolve) => setTimeout(resolve, 50));
    return this;
  }

  tell(signal: NodeJS.Signals): void {
    this.#child.kill(signal);
  }

  async end(signal: NodeJS.Signals): Promise<void> {
    this.tell(signal);
    while (this.code === undefined) await new Promise((resolve) => setTimeout(resolve, 50));
  }
}

describe('the start command', () => {
  const folder = mkdtempSync(join(testFolder, 'start-'));
  let port: number;
  const running: Start[] = [];
  const start = async (...args: string[]) => {
    const one = new Start(folder, port, args);
    running.push(one);
    return one.settled();
  };
  const answers = (path: string) =>
    fetch(`http://127.0.0.1:${port}${path}`).then(
      (answer) => answer.status,
      () => 0,
    );
  before(async () => {
    chmodSync(folder, 0o755);
    port = await ownPorts(5);
  });
  after(async () => {
    for (const one of running) if (one.code === undefined) await one.end('SIGINT');
    rmSync(folder, { recursive: true, force: true });
  });

  it('starts empty with a one-time code, and Ctrl-C stops all of it', async () => {
    const empty = await start('--empty');
    assert.match(empty.out, /One-time code: \S{8,}/);
    assert.equal(await answers('/health/ready'), 200);
    assert.match(await (await fetch(`http://127.0.0.1:${port}/api/v1/setup`)).text(), /"isNeeded":true/);
    await empty.end('SIGINT');
    assert.equal(empty.code, 0);
    assert.equal(await answers('/health/live'), 0);
    assert.ok(!existsSync(join(folder, 'start.pid')));
    assert.ok(!existsSync(join(folder, 'postgres', 'cluster', 'postmaster.pid')));
  });

  it('goes on with the same data, and keeps a second start out', async () => {
    const secret = readFileSync(join(folder, 'installation.json'), 'utf8');
    const again = await start();
    assert.match(again.out, /Under Bell runs/);
    assert.equal(readFileSync(join(folder, 'installation.json'), 'utf8'), secret);
    const second = await start();
    assert.equal(second.code, 1);
    assert.match(second.out, /already runs from/);
    assert.equal(await answers('/health/ready'), 200);
  });

  it('starts its database again when that is killed, and asks to come again meanwhile, with words', async () => {
    const pid = Number(readFileSync(join(folder, 'postgres', 'cluster', 'postmaster.pid'), 'utf8').split('\n')[0]);
    const told = new Set<string>();
    const ask = async () => {
      const answer = await fetch(`http://127.0.0.1:${port}/api/v1/setup`);
      const { code } = (await answer.json()) as { code?: string };
      told.add(`${answer.status} ${code ?? 'fine'} ${answer.headers.has('retry-after')}`);
      return answer.status;
    };
    assert.equal(await ask(), 200);
    // The start command stands still, so that the database stays away until both were asked.
    const main = running.find((one) => one.code === undefined)!;
    main.tell('SIGSTOP');
    try {
      process.kill(pid, 'SIGKILL');
      while ((await ask()) === 200) await new Promise((resolve) => setTimeout(resolve, 20));
      assert.equal(await answers('/health/ready'), 503);
    } finally {
      main.tell('SIGCONT');
    }
    while ((await ask()) !== 200) await new Promise((resolve) => setTimeout(resolve, 100));
    // Each of its connections comes back, one after the other.
    while ((await answers('/health/ready')) !== 200) await new Promise((resolve) => setTimeout(resolve, 100));
    assert.deepEqual([...told].sort(), ['200 fine false', '503 DATABASE_UNREACHABLE true']);
    assert.match(running.map((one) => one.out).join(), /The database runs again/);
  });

  it('repairs what a killed start left behind', async () => {
    await running.find((one) => one.code === undefined)!.end('SIGKILL');
    // Its processes notice that they were left alone.
    while ((await answers('/health/live')) !== 0) await new Promise((resolve) => setTimeout(resolve, 50));
    const repaired = await start();
    assert.match(repaired.out, /Under Bell runs/);
    await repaired.end('SIGTERM');
  });

  it('says which port is taken, and by which setting to move', async () => {
    const other: Server = createServer();
    await new Promise<void>((resolve) => other.listen(port + 2, '127.0.0.1', resolve));
    const { code, out } = await start();
    other.close();
    assert.equal(code, 1);
    assert.match(out, new RegExp(`Port ${port + 2} \\(mailbox\\) is taken[\\s\\S]*UNDERBELL_PORT`));
    assert.ok(!/ at .*\.ts:\d+/.test(out), out);
  });

  it('explains a half-made folder, a damaged file and wrong words, without a stack trace', async () => {
    const file = join(folder, 'installation.json');
    const kept = readFileSync(file, 'utf8');
    writeFileSync(file, '{');
    assert.match((await start()).out, /cannot be read[\s\S]*--fresh/);
    rmSync(file);
    assert.match((await start()).out, /has a database but not the file that opens it/);
    writeFileSync(file, kept);
    assert.match((await start('--frehs')).out, /--fresh \(start with new demo data\)/);
    const all = running.map((one) => one.out).join('\n');
    assert.ok(!/ at .*\.ts:\d+/.test(all), all);
  });

  it('begins anew when asked', async () => {
    writeFileSync(join(folder, 'installation.json'), '{');
    const fresh = await start('--fresh', '--empty');
    assert.match(fresh.out, /One-time code/);
    await fresh.end('SIGINT');
  });
});
