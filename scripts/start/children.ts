import { spawn, type ChildProcess } from 'node:child_process';
import { closeSync, mkdirSync, openSync, readFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { Advice } from '../cluster.ts';
import { root } from '../install.mjs';

/** What a child says once it is ready. */
export interface ReadyMessage {
  readonly isReady: boolean;
  readonly message?: string;
  readonly setupCode?: string;
}

/** @throws {Advice} when a port is taken */
export async function requireFreePort(port: number, what: string): Promise<void> {
  const isFree = await new Promise<boolean>((resolve) => {
    const probe = createServer();
    probe.once('error', () => resolve(false));
    probe.listen(port, '127.0.0.1', () => probe.close(() => resolve(true)));
  });
  if (!isFree)
    throw new Advice(
      `Port ${port} (${what}) is taken by another program. Stop that program, or choose other ports: UNDERBELL_PORT=${port + 1000} npm start`,
    );
}

/** The processes of one installation, each with a log file of its own. */
export class Children {
  readonly #logs: string;
  readonly #running: { name: string; child: ChildProcess }[] = [];
  #isStopping = false;

  constructor(folder: string) {
    this.#logs = join(folder, 'logs');
    mkdirSync(this.#logs, { recursive: true });
  }

  /** Starts a process and waits until it says that it is ready. */
  async start(name: string, file: string, environment: Readonly<Record<string, string>>): Promise<ReadyMessage> {
    if (this.#isStopping) throw new Advice('stopping');
    const logPath = join(this.#logs, `${name}.log`);
    const log = openSync(logPath, 'a', 0o600);
    const child = spawn(process.execPath, ['--import', 'tsx', join(root, file)], {
      cwd: root,
      env: { ...process.env, ...environment },
      // In a group of its own, so that Ctrl-C reaches it only through us, in order.
      detached: true,
      stdio: ['ignore', log, log, 'ipc'],
    });
    closeSync(log);
    const ready = await new Promise<ReadyMessage>((resolve) => {
      child.once('message', (message) => resolve(message as ReadyMessage));
      child.once('exit', (code) => resolve({ isReady: false, message: `it ended with code ${code}` }));
    });
    if (!ready.isReady) {
      const said = readFileSync(logPath, 'utf8').trim().split('\n').slice(-3).join('\n');
      throw new Advice(`The ${name} did not start: ${ready.message}\n${said}`);
    }
    this.#running.push({ name, child });
    child.once('exit', (code) => {
      if (this.#isStopping) return;
      process.stderr.write(`The ${name} ended unexpectedly (code ${code}); its log: ${logPath}. Starting it again.\n`);
      this.#running.splice(
        this.#running.findIndex((one) => one.child === child),
        1,
      );
      setTimeout(
        () =>
          void this.start(name, file, environment).catch((error: Error) => process.stderr.write(`${error.message}\n`)),
        1000,
      );
    });
    return ready;
  }

  /** Stops everything, the last started first. */
  async stop(): Promise<void> {
    this.#isStopping = true;
    for (const { child } of this.#running.reverse()) {
      if (child.exitCode !== null || child.signalCode !== null) continue;
      const ended = new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGTERM');
      const timer = setTimeout(() => child.kill('SIGKILL'), 8_000);
      await ended;
      clearTimeout(timer);
    }
  }
}
