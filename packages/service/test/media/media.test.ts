import assert from 'node:assert/strict';
import { existsSync, readdirSync, rmSync, utimesSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import fc from 'fast-check';
import sharp from 'sharp';
import type { ListedMedia, ShownMedia } from '@underbell/core/media';
import { casesOf } from '../../../core/test/cases.ts';
import { sweepFiles } from '../../src/media/files.ts';
import type { Answer } from '../house.ts';
import { owner, reader, root, SmallHouse } from '../smallHouse.ts';
import { giveMakers, makeVideo, moving } from './pictures.ts';

const { numRuns, seed } = casesOf(40, 2_034);
const picture = (width = 60, height = 40, background = '#204060') =>
  sharp({ create: { width, height, channels: 3, background } });

describe('pictures and videos', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open({ environment: { UNDERBELL_UPLOAD_MAX_MIB: '24' } });
    await giveMakers(small);
  });
  after(() => small.close());

  const put = (name: string, bytes: Buffer | string, file = 'picture.png', as = owner, query = ''): Promise<Answer> =>
    small.house.call('PUT', `/api/v1/media/${name}?file=${encodeURIComponent(file)}${query}`, { as, csv: bytes });
  const shown = async (name: string, as = owner) =>
    (await small.fine('GET', `/api/v1/media/${name}`, undefined, as)).body as unknown as ShownMedia;
  const file = async (name: string, headers: Record<string, string> = {}, path = 'file', as = owner) =>
    fetch(`${small.house.url}/api/v1/media/${name}/${path}`, {
      headers: { Authorization: `Bearer ${await small.house.keyOf(as)}`, ...headers },
    });

  it('are known by what is in them, whatever the name says, and refused where they cannot be shown', async () => {
    const png = await picture().png().toBuffer();
    const fine: readonly (readonly [string, Buffer | string, string])[] = [
      ['as-png', png, 'image/png'],
      ['as-jpeg', await picture().jpeg().toBuffer(), 'image/jpeg'],
      ['as-webp', await picture().webp().toBuffer(), 'image/webp'],
      [
        'as-svg',
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 60 40"><rect width="9" height="9"/></svg>',
        'image/svg+xml',
      ],
    ];
    for (const [name, bytes, type] of fine) {
      const answer = await put(name, bytes, 'notes.txt');
      assert.equal(answer.status, 200, answer.text);
      const { newest } = answer.body as unknown as ShownMedia;
      assert.deepEqual([newest.type, newest.number, newest.width, newest.height], [type, 1, 60, 40]);
      const small = await file(name, {}, 'thumbnail');
      assert.equal(small.headers.get('content-type'), 'image/webp');
      assert.equal((await sharp(Buffer.from(await small.arrayBuffer())).metadata()).format, 'webp');
    }
    // Fifty thousand pixels each way in a few bytes, as in any other file that unpacks to more than there is memory.
    const bomb = Buffer.from(png);
    bomb.writeUInt32BE(50_000, 16);
    bomb.writeUInt32BE(50_000, 20);
    const wrong: readonly (readonly [Buffer | string, string])[] = [
      ['<html><body>hello</body></html>', 'MEDIA_KIND_UNKNOWN'],
      ['just words', 'MEDIA_KIND_UNKNOWN'],
      ['', 'MEDIA_KIND_UNKNOWN'],
      [await picture().gif().toBuffer(), 'MEDIA_KIND_UNKNOWN'],
      [await picture().tiff().toBuffer(), 'MEDIA_KIND_UNKNOWN'],
      [Buffer.from('%PDF-1.7\n%....'), 'MEDIA_KIND_UNKNOWN'],
      [png.subarray(0, 60), 'MEDIA_INVALID'],
      [bomb, 'MEDIA_INVALID'],
      ['<svg xmlns="http://www.w3.org/2000/svg"><image href="/etc/hostname"/></svg>', 'MEDIA_INVALID'],
      [
        Buffer.concat([Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"><!-- '), Buffer.from([0xff, 0xfe])]),
        'MEDIA_INVALID',
      ],
      [Buffer.concat([png, Buffer.alloc(21_000_000)]), 'INPUT_TOO_LARGE'],
      [Buffer.concat([png, Buffer.alloc(26_000_000)]), 'INPUT_TOO_LARGE'],
      [`<svg xmlns="http://www.w3.org/2000/svg">${' '.repeat(2_100_000)}</svg>`, 'INPUT_TOO_LARGE'],
    ];
    for (const [bytes, code] of wrong) {
      const answer = await put('wrong', bytes);
      assert.deepEqual([answer.status >= 400, answer.body.code], [true, code], answer.text);
      assert.doesNotMatch(answer.text, /\/tmp|house-|\.ts/, 'and says nothing of where it lies');
    }
    assert.equal((await small.house.call('GET', '/api/v1/media/wrong', { as: owner })).status, 404);
    const left = readdirSync(join(small.house.app.settings.workDir, 'media', 'incoming'));
    assert.deepEqual(left, [], 'nothing half done is left');
  });

  it('have a small picture also as videos, and are refused where no browser plays them', async () => {
    const fine: readonly (readonly [string, 'mp4' | 'webm', string[]])[] = [
      ['h264', 'mp4', ['-c:v', 'libx264']],
      ['vp8', 'webm', ['-c:v', 'libvpx']],
      // Shorter than the second at which a picture is taken.
      ['vp9', 'webm', ['-t', '0.2', '-c:v', 'libvpx-vp9']],
      ['av1', 'webm', ['-t', '0.2', '-c:v', 'libaom-av1', '-cpu-used', '8']],
    ];
    for (const [name, ending, coded] of fine) {
      const answer = await put(`video-${name}`, await makeVideo(ending, ...moving(2, '640x360'), ...coded));
      assert.equal(answer.status, 200, `${name}: ${answer.text}`);
      const { newest } = answer.body as unknown as ShownMedia;
      assert.deepEqual([newest.type, newest.width, newest.height], [`video/${ending}`, 640, 360]);
      const { dominant, channels } = await sharp(
        Buffer.from(await (await file(`video-${name}`, {}, 'thumbnail')).arrayBuffer()),
      ).stats();
      assert.ok(
        channels.some((one) => one.stdev > 20),
        `${name} is a picture of something: ${JSON.stringify(dominant)}`,
      );
    }
    const whole = await makeVideo('mp4', ...moving(1), '-c:v', 'libx264');
    const wrong: readonly (readonly [string, Buffer])[] = [
      ['cannot be read', whole.subarray(0, 3_000)],
      ['is coded as mpeg4', await makeVideo('mp4', ...moving(1), '-c:v', 'mpeg4')],
      ['holds no picture', await makeVideo('mp4', '-f', 'lavfi', '-i', 'sine=d=1')],
      ['', Buffer.from('1a45dfa39f4286810142f7810142f2810442f381084282847765626d42878104428581021853806700', 'hex')],
      [
        'has 10000 × 6000 pixels',
        await makeVideo('mp4', ...moving(0.04, '10000x6000'), '-c:v', 'libx264', '-preset', 'ultrafast'),
      ],
    ];
    for (const [says, bytes] of wrong) {
      const answer = await put('wrong-video', bytes);
      assert.equal(answer.body.code, 'MEDIA_INVALID', answer.text);
      assert.ok(answer.text.includes(`The video ${says}`), answer.text);
      assert.doesNotMatch(answer.text, /\/tmp|ffmpeg|prlimit/i);
    }
    // A list of other files is no video, whatever it is called.
    const list = await put('wrong-video', '#EXTM3U\n#EXTINF:1,\nfile:///etc/hostname\n', 'list.mp4');
    assert.equal(list.body.code, 'MEDIA_KIND_UNKNOWN');
    // One from before videos had small pictures gets its own when somebody looks, for all who look.
    const { hash } = (await shown('video-vp8')).newest;
    const place = join(small.house.app.settings.workDir, 'media', `${hash}.thumbnail`);
    rmSync(place);
    const looks = await Promise.all([1, 2, 3].map(() => file('video-vp8', {}, 'thumbnail')));
    assert.deepEqual(
      looks.map((one) => [one.status, one.headers.get('content-type')]),
      looks.map(() => [200, 'image/webp']),
    );
    assert.ok(existsSync(place));
    const left = readdirSync(join(small.house.app.settings.workDir, 'media', 'incoming'));
    assert.deepEqual(left, []);
  });

  it('act on nothing where they are opened by themselves', async () => {
    const drawing =
      '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9" onload="alert(1)"><script>alert(1)</script><text>Hello</text></svg>';
    assert.equal((await put('acting', drawing)).status, 200);
    const answer = await file('acting');
    assert.equal(answer.headers.get('content-type'), 'image/svg+xml');
    assert.match(answer.headers.get('content-security-policy')!, /default-src 'none'.*sandbox/);
    assert.equal(answer.headers.get('x-content-type-options'), 'nosniff');
    assert.doesNotMatch(await answer.text(), /script|alert|Hello/);
  });

  it('are nothing to those who may not see them, who are told the same as of one that is not there', async () => {
    assert.equal((await put('secret', await picture().png().toBuffer())).status, 200);
    for (const path of ['', '/file', '/thumbnail']) {
      const [there, not] = await Promise.all(
        ['secret', 'absent'].map((name) => small.house.call('GET', `/api/v1/media/${name}${path}`, { as: reader })),
      );
      assert.deepEqual([there!.status, not!.status], [404, 404], path);
      assert.equal(there!.text.replaceAll('secret', 'absent'), not!.text);
      assert.equal((await fetch(`${small.house.url}/api/v1/media/secret${path}`)).status, 401);
    }
    const listed = (await small.fine('GET', '/api/v1/media', undefined, reader)).body as unknown as {
      media: ListedMedia[];
    };
    assert.deepEqual(listed.media, []);
    const png = await picture().png().toBuffer();
    assert.equal((await put('mine', png, 'a.png', reader)).body.code, 'NOT_ALLOWED');
    assert.equal((await put('secret', png, 'a.png', reader)).status, 404);
    const grant = { holder: { kind: 'person', name: reader }, thing: { kind: 'media', name: 'secret' }, level: 'view' };
    await small.fine('PUT', '/api/v1/permissions', grant, root);
    assert.equal((await file('secret', {}, 'file', reader)).status, 200);
    assert.equal((await put('secret', png, 'a.png', reader)).body.code, 'NOT_ALLOWED');
    const title = await small.house.call('PUT', '/api/v1/media/secret/title', { as: reader, body: { title: 'Mine' } });
    assert.equal(title.body.code, 'NOT_ALLOWED');
    assert.equal((await small.house.call('DELETE', '/api/v1/media/secret', { as: reader })).body.code, 'NOT_ALLOWED');
  });

  it(`are given in ranges, as RFC 9110 has them: ${numRuns} of them (seed ${seed})`, async () => {
    const bytes = await picture(300, 200).png({ compressionLevel: 0 }).toBuffer();
    assert.equal((await put('ranged', bytes)).status, 200);
    const tag = `"${(await shown('ranged')).newest.hash}"`;
    const whole = await file('ranged');
    assert.deepEqual([whole.headers.get('accept-ranges'), whole.headers.get('etag')], ['bytes', tag]);
    assert.deepEqual(Buffer.from(await whole.arrayBuffer()), bytes);
    assert.equal((await file('ranged', { 'If-None-Match': tag })).status, 304);
    await fc.assert(
      fc.asyncProperty(fc.nat(bytes.length - 1), fc.nat(bytes.length + 50), async (first, last) => {
        const from = Math.min(first, last);
        const to = Math.min(Math.max(first, last), bytes.length - 1);
        const part = await file('ranged', { Range: `bytes=${from}-${Math.max(first, last)}`, 'If-Range': tag });
        assert.equal(part.status, 206);
        assert.equal(part.headers.get('content-range'), `bytes ${from}-${to}/${bytes.length}`);
        assert.deepEqual(Buffer.from(await part.arrayBuffer()), bytes.subarray(from, to + 1));
      }),
      { numRuns, seed },
    );
    const last = await file('ranged', { Range: 'bytes=-10' });
    assert.deepEqual(Buffer.from(await last.arrayBuffer()), bytes.subarray(-10));
    const beyond = await file('ranged', { Range: `bytes=${bytes.length}-` });
    assert.deepEqual([beyond.status, beyond.headers.get('content-range')], [416, `bytes */${bytes.length}`]);
    // Of another version, of several ranges, and of no ranges at all the whole is given.
    for (const headers of [
      { Range: 'bytes=0-9', 'If-Range': '"other"' },
      { Range: 'bytes=0-1,5-9' },
      { Range: 'lines=0-1' },
      { Range: 'bytes=x' },
    ] as Record<string, string>[]) {
      const answer = await file('ranged', headers);
      assert.equal(answer.status, 200, JSON.stringify(headers));
      assert.equal((await answer.arrayBuffer()).byteLength, bytes.length);
    }
  });

  it('keep their versions; equal ones are one, and two that come at once are two', async () => {
    const first = await picture(20, 20, 'red').png().toBuffer();
    await put('map', first, 'map.png', owner, '&title=Harbour%20map');
    assert.equal((await put('map', first)).status, 200);
    assert.deepEqual(
      (await shown('map')).versions.map((one) => one.number),
      [1],
    );
    const both = await Promise.all([
      put('map', await picture(20, 20, 'green').png().toBuffer()),
      put('map', await picture(20, 20, 'blue').png().toBuffer()),
    ]);
    assert.deepEqual(
      both.map((one) => one.status),
      [200, 200],
    );
    const now = await shown('map');
    assert.equal(now.title, 'Harbour map');
    assert.deepEqual(
      now.versions.map((one) => one.number),
      [3, 2, 1],
    );
    assert.deepEqual(Buffer.from(await (await file('map', {}, 'file?version=1')).arrayBuffer()), first);
    assert.equal((await file('map', {}, 'file?version=9')).status, 404);
    assert.equal((await file('map', {}, 'file?version=x')).status, 400);
    // A title that somebody gives meanwhile is not taken back by who puts a version in.
    const [, titled] = await Promise.all([
      put('map', await picture(20, 20, 'teal').png().toBuffer()),
      small.house.call('PUT', '/api/v1/media/map/title', { as: owner, body: { title: 'The map' } }),
    ]);
    assert.equal(titled.status, 200, titled.text);
    assert.equal((await shown('map')).title, 'The map');
    const made = await Promise.all([1, 2, 3].map(() => put('anew', first)));
    assert.ok(made.some((one) => one.status === 200));
    assert.deepEqual((await shown('anew')).versions.length, 1);
    await small.fine('PUT', '/api/v1/media/map/title', { title: 'Map' }, owner);
    await small.fine('PUT', '/api/v1/media/map/name', { name: 'harbour' }, owner);
    assert.equal((await shown('harbour')).title, 'Map');
    const { entries } = (await small.fine('GET', '/api/v1/audit-log?thing=media%20map', undefined, root))
      .body as unknown as { entries: { what: string }[] };
    assert.ok(entries.some((one) => one.what === 'version 3 uploaded'));
  });

  it('leave the disk when nobody has them any more, and not before', async () => {
    const { app } = small.house;
    const bytes = await picture(11, 13, 'yellow').png().toBuffer();
    assert.equal((await put('brief', bytes)).status, 200);
    assert.equal((await put('brief-too', bytes)).status, 200);
    const { hash } = (await shown('brief')).newest;
    const place = join(app.settings.workDir, 'media', hash);
    const long = new Date(Date.now() - 7_200_000);
    for (const one of [place, `${place}.thumbnail`]) utimesSync(one, long, long);
    await small.fine('DELETE', '/api/v1/media/brief', undefined, owner);
    await sweepFiles(app);
    assert.ok(existsSync(place), 'another has it still');
    await small.fine('DELETE', '/api/v1/media/brief-too', undefined, owner);
    await sweepFiles(app);
    assert.ok(!existsSync(place) && !existsSync(`${place}.thumbnail`));
    // One that came just now may be about to be named.
    assert.equal((await put('late', bytes)).status, 200);
    await small.fine('DELETE', '/api/v1/media/late', undefined, owner);
    await sweepFiles(app);
    assert.ok(existsSync(place));
  });
});
