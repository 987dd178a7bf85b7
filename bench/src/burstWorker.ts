import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { pino } from 'pino';
import { readBurst } from '@underbell/core/burst';
import { findPerson } from '@underbell/service/access';
import { makeCopies, prepareBurst } from '@underbell/service/burst';
import { giveWayWhole, openApp, readSettings } from '@underbell/service/platform';

/** A worker's process beside the readers: one burst after the other until it is ended. */
const { environment, sender, quays, folder } = JSON.parse(process.argv[2]!) as {
  environment: Record<string, string>;
  sender: string;
  quays: string[];
  folder: string;
};
const settings = readSettings(environment);
giveWayWhole(settings.priority);
const app = openApp(settings, pino({ level: 'silent' }));
const person = (await findPerson(app, { email: sender }))!;
const definition = readBurst({
  format: 'underbell-burst/1',
  name: 'bench',
  title: 'Bench',
  report: 'quay-punctuality',
  list: 'none',
  bind: { quay: 'quay' },
  formats: ['pdf', 'csv'],
  fileName: '{quay}',
  destination: { kind: 'mail', subject: 'x', message: 'x' },
});
process.send!('ready');
for (let turn = 0; ; turn++) {
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
