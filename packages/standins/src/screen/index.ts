import { readFileSync, renameSync, writeFileSync } from 'node:fs';
import { ScreenDevice, type KeptDevice } from './device.ts';

export { ScreenDevice, type KeptDevice } from './device.ts';

/** The devices of a file, each beating by itself. */
export interface ScreensFile {
  readonly devices: readonly KeptDevice[];
}

const beatMs = 30_000;
const retryMs = 3_000;
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Devices that hang on walls look for their service until there is one. */
async function restored(kept: KeptDevice, url: string): Promise<ScreenDevice> {
  for (;;)
    try {
      return await ScreenDevice.restore(kept, url);
    } catch {
      await wait(retryMs);
    }
}

function write(file: string, value: ScreensFile): void {
  writeFileSync(`${file}.new`, JSON.stringify(value, null, 2), { mode: 0o600 });
  renameSync(`${file}.new`, file);
}

/** Lets the devices of a file live until the process ends; one that was closed says no more. */
export async function playDevices(file: string, url: string, say: (text: string) => void): Promise<void> {
  const { devices: kept } = JSON.parse(readFileSync(file, 'utf8')) as ScreensFile;
  const devices = await Promise.all(kept.map((one) => restored(one, url)));
  const living = new Set(devices);
  const keepAll = async () => write(file, { devices: await Promise.all([...living].map((one) => one.keep())) });
  let keeping = Promise.resolve();
  const play = async (device: ScreenDevice, afterMs: number) => {
    await wait(afterMs);
    while (living.has(device)) {
      try {
        // What renews it is kept before anything else is asked.
        if (await device.renew()) await (keeping = keeping.then(keepAll));
        await device.beat();
      } catch (error) {
        const { status, error: code } = error as { status?: number; error?: string };
        if (code === 'invalid_grant' || status === 401) {
          living.delete(device);
          await (keeping = keeping.then(keepAll));
          say(`the screen ${device.name} was closed`);
        }
      }
      await wait(beatMs);
    }
  };
  devices.forEach((device, i) => void play(device, (i * beatMs) / devices.length));
}
