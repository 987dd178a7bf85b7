import { execFile } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { owner, root, type SmallHouse } from '../smallHouse.ts';

/** Lets the owner put pictures in. */
export async function giveMakers(small: SmallHouse): Promise<void> {
  const grant = { holder: { kind: 'person', name: owner }, thing: { kind: 'media', name: '*' }, level: 'own' };
  await small.fine('PUT', '/api/v1/permissions', grant, root);
}

/** A video by an encoder that nobody here wrote. @param said - how it is coded, as FFmpeg's options */
export async function makeVideo(ending: 'mp4' | 'webm', ...said: string[]): Promise<Buffer> {
  const folder = mkdtempSync(join(tmpdir(), 'underbell-video-'));
  try {
    const path = join(folder, `made.${ending}`);
    await promisify(execFile)('ffmpeg', ['-v', 'error', '-nostdin', ...said, '-pix_fmt', 'yuv420p', path]);
    return readFileSync(path);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
export const moving = (seconds: number, size = '320x180') => ['-f', 'lavfi', '-i', `testsrc=s=${size}:d=${seconds}`];
