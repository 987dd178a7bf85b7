import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { pino } from 'pino';
import { readBurst } from '@underbell/core/burst';
import { findPerson } from '@underbell/service/access';
import { prepareBurst } from '@underbell/service/burst';
import { writeSlices, makeCopies } from '@underbell/service/copies';
import { giveWayWhole, readSettings } from '@underbell/service/platform';
import { openService } from '@underbell/service';
import { emptyFolder } from './burstCsv.ts';

/** What a worker's process of the bench is to do, in JSON as its argument. */
export interface WorkerTask {
  readonly environment: Readonly<Record<string, string>>;
  readonly sender: string;
  readonly quays: readonly string[];
  readonly folder: string;
  /** One burst of PDF and CSV after the other until it is ended, or one of CSV at every message, answered with its rows. */
  readonly kind: 'always' | 'when asked';
}

const { environment, sender, quays, folder, kind } = JSON.parse(process.argv[2]!) as WorkerTask;
// As the start command runs it: nothing but a worker.
const settings = readSettings({ ...environment, UNDERBELL_ROLE: 'worker' });
giveWayWhole(settings.priority);
const app = openService(settings, pino({ level: 'silent' }));
const person = (await findPerson(app, { email: sender }))!;
const definition = readBurst({
  format: 'underbell-burst/1',
  name: 'bench',
  title: 'Bench',
  report: 'quay-punctuality',
  list: 'none',
  bind: { quay: 'quay' },
  formats: kind === 'always' ? ['pdf', 'csv'] : ['csv'],
  fileName: '{quay}',
  destination: { kind: 'mail', subject: 'x', message: 'x' },
});

async function makeAll(turn: number): Promise<void> {
  const into = join(folder, String(turn));
  await makeCopies(app, await prepareBurst(app, person, definition, undefined), {
    cuts: quays.map((quay) => ({ cut: { fields: { quay: [quay] } }, formats: ['pdf', 'csv'] })),
    folder: into,
    onStep: async () => undefined,
    onProgress: () => undefined,
    onMade: async () => undefined,
  });
  rmSync(into, { recursive: true });
}

/** The whole way of this program: scan once, cut, check every row a second time, write a file each. @returns the rows */
async function cutAll(): Promise<number> {
  emptyFolder(folder);
  const burst = await prepareBurst(app, person, definition, undefined);
  const files = quays.map((quay) => ({ cut: { fields: { quay: [quay] } }, path: join(folder, `${quay}.csv`) }));
  return writeSlices(app, burst, files, 'csv', () => undefined);
}

process.send!('ready');
if (kind === 'always') for (let turn = 0; ; turn++) await makeAll(turn);
process.on('message', () => void cutAll().then((rows) => process.send!(rows)));
process.on('disconnect', () => process.exit(0));
