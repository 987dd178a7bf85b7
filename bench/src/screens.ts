import { fork } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { SignJWT, calculateJwkThumbprint, exportJWK, generateKeyPair, type CryptoKey, type JWK } from 'jose';
import type { PersonViewer } from '@underbell/core/access';
import { signAccessToken } from '@underbell/core/token';
import { startSession } from '@underbell/service/access';
import type { App } from '@underbell/service/platform';
import { declareAttributes } from '../../packages/service/src/screen/groups.ts';
import { screenGroups, screenKeys, screens } from '../../packages/service/src/screen/models.ts';
import { savePlaylist } from '../../packages/service/src/screen/playlists.ts';
import { publishPlaylist } from '../../packages/service/src/screen/publish.ts';
import { startWeb, stopWeb } from '../../packages/service/src/server.ts';
import { signingKeys } from '../../packages/service/src/token/keys.ts';
import type { BenchFigure } from './figures.ts';
import type { Asked } from './streamClient.ts';

const count = 10_000;
const inGroup = 100;
/** A beat of each in a minute. */
const perSecond = Math.ceil(count / 60);
const seconds = 12;
/** So many are heard in the time that is measured. */
const heard = perSecond * seconds;

interface Device {
  readonly token: string;
  readonly privateKey: CryptoKey;
  readonly jwk: JWK;
}

const p95 = (times: readonly number[]) => [...times].sort((a, b) => a - b)[Math.floor(times.length * 0.95)]!;

/** Ten thousand screens in a hundred groups, each with its key. */
async function hang(app: App): Promise<Device[]> {
  const now = new Date(app.now());
  const group = (i: number) => `group-${Math.floor(i / inGroup)}`;
  await screenGroups(app).bulkCreate(
    Array.from({ length: count / inGroup }, (_, i) => ({
      name: `group-${i}`,
      title: `Group ${i}`,
      worryMinutes: 1_440,
      leaseHours: 48,
      otherwise: '',
      makerId: '',
    })),
  );
  await screens(app).bulkCreate(
    Array.from({ length: count }, (_, i) => ({
      name: `screen-${i}`,
      title: `Screen ${i}`,
      groupName: group(i),
      attributes: { quay: `Q${i}` },
      timeZone: 'Europe/Berlin',
      language: 'en',
      pairedBy: 'bench',
      pairedAt: now,
      endedBy: null,
      endedAt: null,
      asked: {},
    })),
  );
  const { signing } = await signingKeys(app);
  const { publicUrl } = app.settings;
  const iat = Math.floor(app.now() / 1000);
  const devices: Device[] = [];
  const rows = [];
  for (let i = 0; i < count; i++) {
    const { privateKey, publicKey } = await generateKeyPair('ES256');
    const jwk = await exportJWK(publicKey);
    const thumbprint = await calculateJwkThumbprint(jwk);
    const keyId = randomUUID();
    const token = await signAccessToken(
      {
        iss: publicUrl,
        aud: `${publicUrl}/api/v1/screen`,
        sub: 'screen',
        client_id: 'screen',
        jti: randomUUID(),
        iat,
        exp: iat + 3_600,
        authorization_details: [{ type: 'screen_play', key: keyId }],
        cnf: { jkt: thumbprint },
      },
      signing,
    );
    rows.push({
      screenName: `screen-${i}`,
      keyId,
      thumbprint,
      refreshFingerprint: keyId,
      formerFingerprint: null,
      familyFingerprint: null,
      renewedAt: now,
    });
    devices.push({ token, privateKey, jwk });
  }
  await screenKeys(app).bulkCreate(rows);
  return devices;
}

const proofOf = (method: string, url: string, { token, privateKey, jwk }: Device) =>
  new SignJWT({
    htm: method,
    htu: url,
    jti: randomUUID(),
    iat: Math.floor(Date.now() / 1000),
    ath: createHash('sha256').update(token).digest('base64url'),
  })
    .setProtectedHeader({ alg: 'ES256', typ: 'dpop+jwt', jwk })
    .sign(privateKey);

/** Sends a beat of each device, so many a second, with proofs that were made before. */
async function beatAll(url: string, devices: readonly Device[], proofs: readonly string[]): Promise<number[]> {
  const body = JSON.stringify({
    slot: 'words',
    playlist: 'bench',
    revision: 1,
    asOf: Date.now(),
    clockErrorMs: 12,
    errors: 0,
  });
  const times: number[] = [];
  const sent: Promise<void>[] = [];
  const begun = performance.now();
  for (const [i, { token }] of devices.entries()) {
    const due = begun + (i / perSecond) * 1000;
    if (due > performance.now()) await wait(due - performance.now());
    const start = performance.now();
    const headers = { Authorization: `DPoP ${token}`, DPoP: proofs[i]!, 'Content-Type': 'application/json' };
    sent.push(
      fetch(url, { method: 'POST', headers, body }).then(async (answer) => {
        const text = await answer.text();
        if (!answer.ok) throw new Error(text);
        times.push(performance.now() - start);
      }),
    );
  }
  await Promise.all(sent);
  return times;
}

/** Milliseconds of one core for each second, while work goes on. */
async function coreShare(work: () => Promise<unknown>): Promise<number> {
  const [cpu, start] = [process.cpuUsage(), performance.now()];
  await work();
  const { user, system } = process.cpuUsage(cpu);
  return (user + system) / 1000 / ((performance.now() - start) / 1000);
}

interface Heard {
  readonly publishedMs: number;
  readonly toldMs: number;
  readonly told: number;
  readonly openedMs: number;
  readonly streamBytes: number;
}

/** Every screen listens, over a connection of its own; then something is published to all of them. */
async function listen(
  base: string,
  folder: string,
  devices: readonly Device[],
  publish: () => Promise<unknown>,
): Promise<Heard> {
  const url = `${base}/api/v1/screen/events`;
  const file = join(folder, 'listeners.json');
  const listeners = [];
  for (const one of devices) listeners.push({ token: one.token, proof: await proofOf('GET', url, one) });
  writeFileSync(file, JSON.stringify(listeners), { mode: 0o600 });
  const before = process.memoryUsage().rss;
  const begun = performance.now();
  const child = fork(fileURLToPath(new URL('../../dist/bench/streamClient.mjs', import.meta.url)), [
    JSON.stringify({ url, file } satisfies Asked),
  ]);
  const answer = async <T>(message?: string): Promise<T> => {
    const heardOf = new Promise<T>((resolve, reject) => {
      child.once('message', (said) => resolve(said as T));
      child.once('exit', (code) => reject(new Error(`those who listen ended with ${code}`)));
    });
    if (message !== undefined) child.send(message);
    return heardOf;
  };
  try {
    await answer();
    const openedMs = performance.now() - begun;
    const streamBytes = (process.memoryUsage().rss - before) / devices.length;
    await answer('count anew');
    const from = Date.now();
    await publish();
    const publishedMs = Date.now() - from;
    for (;;) {
      const { told, last } = await answer<{ told: number; last: number }>('report');
      if (told === devices.length || Date.now() - from > 120_000)
        return { told, publishedMs, toldMs: last - from, openedMs, streamBytes };
      await wait(200);
    }
  } finally {
    child.removeAllListeners('exit');
    child.kill();
  }
}

/** The same requests to a server that does nothing: what client and HTTP cost by themselves, in this same process. */
async function bareShare(devices: readonly Device[], proofs: readonly string[]): Promise<number> {
  const server = createServer((request, response) => {
    request.resume();
    request.on('end', () => response.end('{}'));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as { port: number };
  try {
    return await coreShare(() => beatAll(`http://127.0.0.1:${port}/`, devices, proofs));
  } finally {
    server.closeAllConnections();
    server.close();
  }
}

/** Ten thousand screens on one process, which also answers readers. */
export async function benchScreens(
  app: App,
  reader: PersonViewer,
  folder: string,
  say: (text: string) => void,
): Promise<BenchFigure[]> {
  const root = { ...reader, isAdministrator: true };
  const declared = [{ name: 'quay', label: 'Quay', type: 'text' as const }];
  await declareAttributes(app, root, declared, 'bench');
  const devices = await hang(app);
  const definition = {
    format: 'underbell-playlist/1',
    name: 'bench',
    title: 'Bench',
    slots: [
      { name: 'words', shows: { text: 'Welcome to {quay}' }, seconds: 10 },
      {
        name: 'page',
        shows: { report: 'quay-punctuality', page: 'overview' },
        where: { sailings: "quay_id = screen('quay')" },
        seconds: 10,
      },
    ],
  };
  await savePlaylist(app, root, definition, { origin: 'bench' });
  const targets = Array.from({ length: count / inGroup }, (_, i) => ({
    kind: 'screen-group' as const,
    name: `group-${i}`,
  }));
  const publish = () => publishPlaylist(app, root, 'bench', { targets, note: '', give: true }, 'bench');
  await publish();
  const server = await startWeb(app);
  const base = app.settings.publicUrl;
  const url = `${base}/api/v1/screen/beat`;
  const speaking = devices.slice(0, heard);
  const makeProofs = () => Promise.all(speaking.map((one) => proofOf('POST', url, one)));
  const { key } = await startSession(app, reader.id, 'command line');
  const readAll = async (times: number): Promise<number[]> => {
    const found: number[] = [];
    for (let i = 0; i < times; i++) {
      const start = performance.now();
      const headers = { Authorization: `Bearer ${key}` };
      await (await fetch(`${base}/api/v1/reports/quay-punctuality/view?quay=Q0${10 + (i % 20)}`, { headers })).text();
      found.push(performance.now() - start);
      await wait(40);
    }
    return found;
  };
  const reads = 200;
  try {
    await beatAll(url, speaking.slice(0, perSecond), await makeProofs());
    const idle = p95(await readAll(reads));
    const bare = await bareShare(speaking, await makeProofs());
    // The first beat of each, as after a restart; then the next one.
    const first = await beatAll(url, speaking, await makeProofs());
    let times: number[] = [];
    const proofs = await makeProofs();
    const share = await coreShare(async () => (times = await beatAll(url, speaking, proofs)));
    const more = await makeProofs();
    const [, beside] = await Promise.all([beatAll(url, speaking, more), readAll(reads)]);
    const { told, publishedMs, toldMs, openedMs, streamBytes } = await listen(base, folder, devices, publish);
    if (told < count) throw new Error(`${count - told} screens were not told`);
    say(
      `  ${count} screens, ${perSecond} beats a second: p95 ${p95(times).toFixed(1)} ms (${p95(first).toFixed(1)} ms after a restart), ${((share - bare) / 10).toFixed(0)} % of a core beyond the same requests to nothing; ${told} streams opened in ${(openedMs / 1000).toFixed(1)} s, ${(streamBytes / 1000).toFixed(0)} kB each, all told ${(toldMs / 1000).toFixed(1)} s after a publication began, which took ${(publishedMs / 1000).toFixed(1)} s`,
    );
    return [
      {
        benchmark: 'a beat of 10,000 screens, p95',
        ours: p95(times),
        against: '20 ms',
        floor: 20,
        goal: { atMost: 1 },
      },
      {
        benchmark: 'core for beats of 10,000 screens, in a second',
        ours: share - bare,
        against: '70 % of a core',
        floor: 700,
        goal: { atMost: 1 },
      },
      {
        benchmark: 'a publication, until 10,000 streams are told',
        ours: toldMs,
        against: '30 s',
        floor: 30_000,
        goal: { atMost: 1 },
      },
      {
        benchmark: 'a reader beside 10,000 screens, p95',
        ours: p95(beside),
        against: 'the same while no screen speaks',
        floor: idle,
        goal: { atMost: 1.2 },
      },
    ];
  } finally {
    await stopWeb(server);
  }
}
