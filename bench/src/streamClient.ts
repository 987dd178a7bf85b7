import { readFileSync } from 'node:fs';
import { request, type IncomingMessage } from 'node:http';

/**
 * Thousands of screens that listen, in a process of their own: as many connections again as the service has, whose time is
 * not the service's.
 */
interface Listener {
  readonly token: string;
  readonly proof: string;
}
export interface Asked {
  readonly url: string;
  /** A file with the listeners. */
  readonly file: string;
}

const atOnce = 40;
const { url, file } = JSON.parse(process.argv[2]!) as Asked;
const listeners = JSON.parse(readFileSync(file, 'utf8')) as Listener[];
/** When each was told last, milliseconds since 1970-01-01T00:00:00Z. */
const toldAt = new Float64Array(listeners.length);
const told = new Uint32Array(listeners.length);

function open(i: number): Promise<void> {
  const { token, proof } = listeners[i]!;
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

let next = 0;
const takeTurns = async () => {
  while (next < listeners.length) await open(next++);
};
await Promise.all(Array.from({ length: atOnce }, takeTurns));
process.send!({ opened: listeners.length });
process.on('message', (message) => {
  if (message === 'count anew') {
    told.fill(0);
    process.send!({ ready: true });
  } else if (message === 'report')
    process.send!({ told: told.filter((one) => one > 0).length, last: Math.max(...toldAt) });
  else process.exit(0);
});
