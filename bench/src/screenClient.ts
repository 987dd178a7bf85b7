import { readFileSync } from 'node:fs';
import { Agent, request, type IncomingMessage } from 'node:http';
import { setTimeout as wait } from 'node:timers/promises';

/**
 * Thousands of screens in a process of their own: as many connections again as the service has, and whose time is not the
 * service's.
 */
interface Caller {
  readonly token: string;
  readonly proof: string;
}
export interface Asked {
  readonly url: string;
  /** A file with those who call. */
  readonly file: string;
  /** So many beats a second; left out for those who listen. */
  readonly perSecond?: number;
}

const { url, file, perSecond } = JSON.parse(process.argv[2]!) as Asked;
const callers = JSON.parse(readFileSync(file, 'utf8')) as Caller[];

const tell = (message: object) => process.send!(message);

/** Sends a beat of each, so many a second. */
async function beat(rate: number): Promise<void> {
  const shown = { slot: 'words', playlist: 'bench', revision: 1, asOf: Date.now(), clockErrorMs: 12, errors: 0 };
  const body = JSON.stringify(shown);
  const agent = new Agent({ keepAlive: true });
  const times: number[] = [];
  const begun = performance.now();
  const send = ({ token, proof }: Caller) =>
    new Promise<void>((resolve, reject) => {
      const start = performance.now();
      const headers = { Authorization: `DPoP ${token}`, DPoP: proof, 'Content-Type': 'application/json' };
      const asked = request(url, { method: 'POST', agent, headers }, (answer) => {
        answer.resume();
        answer.on('end', () => {
          times.push(performance.now() - start);
          if (answer.statusCode === 200) resolve();
          else reject(new Error(`answered ${answer.statusCode}`));
        });
      });
      asked.on('error', reject);
      asked.end(body);
    });
  const sent: Promise<void>[] = [];
  for (const [i, caller] of callers.entries()) {
    const due = begun + (i / rate) * 1000;
    if (due > performance.now()) await wait(due - performance.now());
    sent.push(send(caller));
  }
  await Promise.all(sent);
  tell({ times });
}

const atOnce = 40;
/** When each was told last, milliseconds since 1970-01-01T00:00:00Z. */
const toldAt = new Float64Array(callers.length);
const told = new Uint32Array(callers.length);

/** A stream, once the first thing was heard on it. */
function listen(i: number): Promise<void> {
  const { token, proof } = callers[i]!;
  return new Promise((resolve, reject) => {
    const hear = (answer: IncomingMessage) => {
      if (answer.statusCode !== 200) return reject(new Error(`answered ${answer.statusCode}`));
      let rest = '';
      answer.setEncoding('utf8');
      answer.on('data', (text: string) => {
        rest = `${rest}${text}`.slice(-200);
        if (!rest.includes('event: program') || !rest.endsWith('\n\n')) return;
        rest = '';
        told[i]!++;
        toldAt[i] = Date.now();
        resolve();
      });
    };
    const headers = { Authorization: `DPoP ${token}`, DPoP: proof, Accept: 'text/event-stream' };
    request(url, { agent: false, headers }, hear).on('error', reject).end();
  });
}

async function listenAll(): Promise<void> {
  let next = 0;
  const takeTurns = async () => {
    while (next < callers.length) await listen(next++);
  };
  await Promise.all(Array.from({ length: atOnce }, takeTurns));
  tell({ opened: callers.length });
}

process.on('message', (message) => {
  const fail = (error: Error) => {
    process.stderr.write(`${error.message}\n`);
    process.exit(1);
  };
  if (message === 'begin') void (perSecond === undefined ? listenAll() : beat(perSecond)).catch(fail);
  else if (message === 'count anew') {
    told.fill(0);
    tell({ ready: true });
  } else if (message === 'report') tell({ told: told.filter((one) => one > 0).length, last: Math.max(...toldAt) });
});
tell({ ready: true });
