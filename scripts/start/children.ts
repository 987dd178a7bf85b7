import { spawn, type ChildProcess } from 'node:child_process';
import { closeSync, mkdirSync, openSync, readFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { Advice } from '../cluster.ts';
import { runFlags } from '../bundle.mjs';
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

/** What is started again whenever it ends. */
interface Kept {
  readonly isRunning: () => boolean;
  readonly start: () => Promise<void>;
}

interface Launched {
  readonly child: ChildProcess;
  readonly ready: ReadyMessage;
}

const firstPauseMs = 1_000;
const longestPauseMs = 60_000;
/** A process that lived so long had started well. */
const steadyMs = 30_000;

/** The processes of one installation, each with a log file of its own. */
export class Children {
  readonly #logs: string;
  readonly #running = new Set<ChildProcess>();
  #isStopping = false;

  constructor(folder: string) {
    this.#logs = join(folder, 'logs');
    mkdirSync(this.#logs, { recursive: true });
  }

  /** Starts a process and waits until it says that it is ready. From then on it is started again whenever it ends. */
  async start(name: string, file: string, environment: Readonly<Record<string, string>>): Promise<ReadyMessage> {
    const { child, ready } = await this.#launch(name, file, environment);
    if (!ready.isReady) {
      const said = readFileSync(this.#logOf(name), 'utf8').trim().split('\n').slice(-3).join('\n');
      throw new Advice(`The ${name} did not start: ${ready.message}\n${said}`);
    }
    this.#keep(name, child, () => this.#launch(name, file, environment));
    return ready;
  }

  #logOf(name: string): string {
    return join(this.#logs, `${name}.log`);
  }

  async #launch(name: string, file: string, environment: Readonly<Record<string, string>>): Promise<Launched> {
    if (this.#isStopping) throw new Advice('stopping');
    const log = openSync(this.#logOf(name), 'a', 0o600);
    const child = spawn(process.execPath, [...runFlags, join(root, file)], {
      cwd: root,
      env: { ...process.env, ...environment },
      // In a group of its own, so that Ctrl-C reaches it only through us, in order.
      detached: true,
      stdio: ['ignore', log, log, 'ipc'],
    });
    closeSync(log);
    // One that is starting is to be stopped as well.
    this.#running.add(child);
    child.once('exit', () => this.#running.delete(child));
    const ready = await new Promise<ReadyMessage>((resolve) => {
      child.once('message', (message) => resolve(message as ReadyMessage));
      child.once('exit', (code, signal) => resolve({ isReady: false, message: `it ended with ${code ?? signal}` }));
    });
    return { child, ready };
  }

  /** Starts a process again whenever it ends, and goes on trying, with growing pauses, for as long as it takes. */
  #keep(name: string, child: ChildProcess, launch: () => Promise<Launched>): void {
    const since = Date.now();
    child.once('exit', (code, signal) => {
      if (this.#isStopping) return;
      const what = `The ${name} ended unexpectedly (${code ?? signal}); its log: ${this.#logOf(name)}.`;
      process.stderr.write(`${what} Starting it again.\n`);
      void this.#again(name, launch, Date.now() - since < steadyMs ? 1 : 0);
    });
  }

  async #again(name: string, launch: () => Promise<Launched>, failures: number): Promise<void> {
    await setTimeout(Math.min(firstPauseMs * 2 ** failures, longestPauseMs));
    if (this.#isStopping) return;
    const { child, ready } = await launch();
    if (ready.isReady) {
      process.stderr.write(`The ${name} runs again.\n`);
      return this.#keep(name, child, launch);
    }
    if (this.#isStopping) return;
    process.stderr.write(`The ${name} did not start (${ready.message}); trying again.\n`);
    await this.#again(name, launch, failures + 1);
  }

  /** Looks after what is no process of ours, such as a server that its own program starts. */
  keepRunning(name: string, kept: Kept): void {
    let failures = 0;
    const look = async (): Promise<void> => {
      if (this.#isStopping || kept.isRunning()) return;
      process.stderr.write(`The ${name} ended unexpectedly. Starting it again.\n`);
      try {
        await kept.start();
        failures = 0;
        process.stderr.write(`The ${name} runs again.\n`);
      } catch (error) {
        failures++;
        process.stderr.write(`The ${name} did not start (${(error as Error).message}); trying again.\n`);
      }
    };
    const next = () => {
      const pauseMs = failures === 0 ? firstPauseMs : Math.min(firstPauseMs * 2 ** failures, longestPauseMs);
      if (!this.#isStopping) globalThis.setTimeout(() => void look().then(next), pauseMs).unref();
    };
    next();
  }

  /** Stops everything, the last started first. */
  async stop(): Promise<void> {
    this.#isStopping = true;
    for (const child of [...this.#running].reverse()) {
      if (child.exitCode !== null || child.signalCode !== null) continue;
      const ended = new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGTERM');
      const timer = globalThis.setTimeout(() => child.kill('SIGKILL'), 8_000);
      await ended;
      clearTimeout(timer);
    }
  }
}
