import { execFile } from 'node:child_process';
import { writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { promisify } from 'node:util';
import pLimit from 'p-limit';
import sharp from 'sharp';
import { mostPixels, type VideoType } from '@underbell/core/media';
import { Refusal } from '@underbell/core/refusal';

const run = promisify(execFile);

/** How each type is taken apart: by nothing else, whatever a file says of itself. */
const demuxers = { 'video/mp4': 'mov', 'video/webm': 'matroska' } as const satisfies Record<VideoType, string>;
/** What browsers play of it. */
const codecs: Readonly<Record<string, string>> = { h264: 'H.264', vp8: 'VP8', vp9: 'VP9', av1: 'AV1' };
const decoders = ['h264', 'vp8', 'vp9', 'libdav1d', 'av1'].join(',');

/** Most take a second; some are made to take for ever, or for all the memory there is. */
const bounds = { seconds: 30, bytes: 2_147_483_648, answerBytes: 64_000_000 };
const fewAtOnce = pLimit(1);
/** Many begin in the dark. In seconds. */
const into = 1;

/** Runs one of FFmpeg's programs on a file, with nothing of this process: no environment, no network, no other file. */
async function runBound(program: string, args: readonly string[]): Promise<Buffer> {
  // Those who look at reports go before it.
  const bound = ['-n', '10', 'prlimit', `--cpu=${bounds.seconds}`, `--as=${bounds.bytes}`, '--core=0', '--', program];
  const { stdout } = await run('nice', [...bound, '-v', 'error', ...args], {
    encoding: 'buffer',
    cwd: tmpdir(),
    env: { PATH: process.env['PATH'] },
    timeout: bounds.seconds * 2_000,
    killSignal: 'SIGKILL',
    maxBuffer: bounds.answerBytes,
  });
  return stdout;
}

interface Stream {
  readonly codec_name?: string;
  readonly width?: number;
  readonly height?: number;
}

const unplayable = (what: string, cause?: unknown) =>
  new Refusal(
    'MEDIA_INVALID',
    `The video ${what}.`,
    { hint: `Supported: ${Object.values(codecs).join(', ')}, at most ${mostPixels / 1_000_000} million pixels.` },
    cause === undefined ? {} : { cause },
  );

/** The exit status of `nice` and `prlimit` where there is no such program, as of a shell. */
const noProgram = 127;

/** That the programs are not there is no fault of the file. */
function refuse(cause: unknown, what: string): never {
  const { code } = cause as { code?: string | number };
  if (code !== 'ENOENT' && code !== noProgram) throw unplayable(what, cause);
  const hint = 'whoever runs the service installs FFmpeg; `npm start` does it by itself';
  throw new Refusal('TOOL_MISSING', 'Videos cannot be checked on this server.', { hint }, { cause });
}

/**
 * Finds out whether a video can be played, and draws a small picture of it.
 *
 * @param thumbnail - where that is written; WebP, at most so many pixels each way
 * @returns its width and height in pixels
 * @throws {Refusal} `MEDIA_INVALID`, `TOOL_MISSING`
 */
export function examineVideo(
  path: string,
  type: VideoType,
  thumbnail: string,
  pixels: number,
): Promise<{ width: number; height: number }> {
  const opened = ['-protocol_whitelist', 'file', '-f', demuxers[type]];
  const frameAt = (seconds: number) =>
    runBound('ffmpeg', [
      ...['-nostdin', '-threads', '1', '-codec_whitelist', decoders, '-max_pixels', String(mostPixels)],
      ...[...opened, '-ss', String(seconds), '-i', path],
      ...[
        '-map',
        '0:v:0',
        '-frames:v',
        '1',
        '-vf',
        `scale=w='min(${pixels},iw)':h='min(${pixels},ih)':force_original_aspect_ratio=decrease`,
      ],
      ...['-f', 'image2pipe', '-c:v', 'png', '-'],
    ]);
  return fewAtOnce(async () => {
    const about = ['-select_streams', 'v:0', '-show_entries', 'stream=codec_name,width,height', '-of', 'json'];
    const said = await runBound('ffprobe', [...opened, ...about, path]).catch((error: unknown) =>
      refuse(error, 'cannot be read'),
    );
    const [stream] = (JSON.parse(said.toString('utf8')) as { streams?: Stream[] }).streams ?? [];
    const { codec_name: codec = '', width = 0, height = 0 } = stream ?? {};
    if (!stream) throw unplayable('holds no picture');
    if (!Object.hasOwn(codecs, codec)) throw unplayable(`is coded as ${codec || 'something unknown'}`);
    if (width * height === 0 || width * height > mostPixels) throw unplayable(`has ${width} × ${height} pixels`);
    // A short one has ended by then: it answers nothing.
    const frames = [into, 0];
    for (const seconds of frames) {
      const png = await frameAt(seconds).catch((error: unknown) => refuse(error, 'cannot be played'));
      if (png.length === 0) continue;
      await writeFile(thumbnail, await sharp(png).webp().toBuffer());
      return { width, height };
    }
    throw unplayable('holds no picture');
  });
}
