import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import sharp from 'sharp';
import { demoPassword, demoPeople } from '../demo/src/people.ts';
import { launchBrowser } from './browser.ts';
import { installForTests, root } from './install.mjs';

const first = Number(process.env['UNDERBELL_PORT'] ?? 7300);
const service = `http://127.0.0.1:${first}`;
const mailboxes = `http://127.0.0.1:${first + 2}`;
const portal = `http://127.0.0.1:${first + 3}`;
const works = `http://127.0.0.1:${first + 9}`;
const chat = `http://127.0.0.1:${first + 8}`;
const folder = join(root, 'docs/screenshots');

const browser = await launchBrowser();

async function open(scheme: 'light' | 'dark', person?: string, height = 800, width = 1280): Promise<Page> {
  const context = await browser.newContext({ viewport: { width, height }, colorScheme: scheme, locale: 'en-GB' });
  const page = await context.newPage();
  if (person) await page.request.post(`${service}/api/v1/session`, { data: { email: person, password: demoPassword } });
  return page;
}

async function shoot(page: Page): Promise<Buffer> {
  // Pages that listen for changes are never idle.
  await page.waitForTimeout(1_500);
  const picture = await page.screenshot();
  await page.context().close();
  return picture;
}

async function keep(page: Page, name: string): Promise<void> {
  writeFileSync(join(folder, `${name}.png`), await shoot(page));
  process.stdout.write(`${name}.png\n`);
}

/** Pictures of one height beside each other. */
async function keepBeside(name: string, pictures: readonly Buffer[]): Promise<void> {
  const [height, gap] = [540, 12];
  const parts = await Promise.all(pictures.map((one) => sharp(one).resize({ height }).png().toBuffer()));
  const widths = await Promise.all(parts.map(async (one) => (await sharp(one).metadata()).width));
  const width = widths.reduce((sum, one) => sum + one + gap, -gap);
  const left = (i: number) => widths.slice(0, i).reduce((sum, one) => sum + one + gap, 0);
  await sharp({ create: { width, height, channels: 3, background: '#888888' } })
    .composite(parts.map((input, i) => ({ input, left: left(i), top: 0 })))
    .png()
    .toFile(join(folder, `${name}.png`));
  process.stdout.write(`${name}.png\n`);
}

interface SentFile {
  readonly bytes: Buffer;
}

/** The newest file with such an ending and name that the demo's manager was sent. */
async function newestFile(ending: string, burst: string): Promise<SentFile> {
  const mails = (await (await fetch(`${mailboxes}/api/mails`)).json()) as {
    id: number;
    to: string[];
    files: string[];
  }[];
  const isWanted = (name: string) => name.endsWith(ending) && name.startsWith(burst);
  const mail = mails.filter((one) => one.to.includes(demoPeople.manager.email) && one.files.some(isWanted)).at(-1);
  if (!mail) throw new Error(`send it first: npx underbell burst run ${burst} --period 2026-10`);
  const file = await fetch(`${mailboxes}/mail/${mail.id}/file/${mail.files.findIndex(isWanted)}`);
  return { bytes: Buffer.from(await file.arrayBuffer()) };
}

/** The first sheet of a copy on paper. */
function keepPdf({ bytes }: SentFile): void {
  const work = mkdtempSync(join(tmpdir(), 'underbell-pdf-'));
  writeFileSync(join(work, 'copy.pdf'), bytes);
  execFileSync('pdftoppm', ['-r', '100', '-png', '-singlefile', join(work, 'copy.pdf'), join(folder, 'quay-pack-pdf')]);
  process.stdout.write('quay-pack-pdf.png\n');
}

/** The first sheet of a filled workbook, as a spreadsheet program shows it on paper. */
function keepWorkbook({ bytes }: SentFile): void {
  installForTests();
  const work = mkdtempSync(join(tmpdir(), 'underbell-book-'));
  writeFileSync(join(work, 'book.xlsx'), bytes);
  const profile = `-env:UserInstallation=file://${work}/profile`;
  execFileSync('soffice', [profile, '--headless', '--convert-to', 'pdf', '--outdir', work, join(work, 'book.xlsx')]);
  const size = ['-r', '110', '-png', '-singlefile', '-f', '1'];
  execFileSync('pdftoppm', [...size, join(work, 'book.pdf'), join(folder, 'quay-book')]);
  process.stdout.write('quay-book.png\n');
}

mkdirSync(folder, { recursive: true });
const { publisher, manager } = demoPeople;

let page = await open('light', publisher.email);
await page.goto(`${service}/console/reports/quay-punctuality/edit`);
await page.getByRole('button', { name: 'Form' }).click();
await page.frameLocator('iframe').first().locator('section.figure .chart svg').first().waitFor();
await page.getByRole('button', { name: 'Departed on time, by route' }).focus();
await keep(page, 'publish');

page = await open('light', publisher.email);
await page.goto(`${service}/console/placements/quay-page`);
await page.frameLocator('iframe').first().locator('section.figure').first().waitFor();
await keep(page, 'placement');

page = await open('light', demoPeople.administrator.email);
await page.goto(`${service}/console/access/active`);
await page.locator('tbody tr.ant-table-row').first().waitFor();
await keep(page, 'active-access');

page = await open('light', publisher.email);
await page.goto(`${service}/console/bursts/quay-pack`);
await page.getByLabel('Year', { exact: true }).selectOption('2026');
await page.getByLabel('Month', { exact: true }).selectOption('2026-10');
await page.getByText('Resend to recipients who already have it').click();
await page.getByRole('button', { name: 'Preview run' }).click();
await page.getByText('copies').first().waitFor();
await keep(page, 'burst-preview');

page = await open('light', publisher.email);
await page.goto(`${service}/console/bursts/quay-pack`);
await page.getByRole('heading', { name: /Deliveries of run/ }).waitFor();
await keep(page, 'deliveries');

page = await open('light', undefined, 1000);
await page.goto(`${portal}/quay/Q017`);
await page.frameLocator('under-bell iframe').getByText('Quay is Q017').waitFor();
await keep(page, 'portal');

keepWorkbook(await newestFile('.xlsx', 'quay-book'));

page = await open('light', publisher.email, 900);
await page.goto(`${service}/console/data/sailings`);
await page.locator('tr', { hasText: 'own-quay' }).getByRole('button', { name: 'Edit' }).click();
await page.getByText('rows visible').waitFor();
await page.locator('.cm-content').click();
await page.keyboard.press('Control+End');
await page.keyboard.type(' AND cancelled = FALSE');
await page.keyboard.press('Escape');
await page.getByText('cancelled is no').first().waitFor();
await page.locator('.framed').evaluate((one) => one.scrollIntoView());
await keep(page, 'row-rule-editor');

page = await open('light', publisher.email, 950);
await page.goto(`${service}/console/reports/quay-punctuality/preview-as?as=ines.holt@skerrow.example`);
await page.getByLabel('Compare with').selectOption(`person:${manager.email}`);
await page.getByRole('button', { name: 'Preview', exact: true }).click();
await page.getByText(/: both/).waitFor();
await keep(page, 'preview-as');

for (const [name, path, height] of [
  ['viewer-overview', '/r/punctuality', 1180],
  ['board', '/b/harbour', 970],
] as const) {
  page = await open('light', publisher.email, height);
  await page.goto(`${service}${path}`);
  await page.locator('section.figure .chart svg').first().waitFor();
  await keep(page, name);
}

// What a member of a channel sees, and posts.
page = await open('light');
await page.goto(chat);
await page.getByRole('button', { name: demoPeople.manager.name }).click();
await page.locator('#side').getByRole('link', { name: 'Quay leads' }).click();
await page.locator('#tabs').getByRole('link', { name: 'Quay punctuality' }).click();
const tab = page.frameLocator('iframe[data-tab]');
await tab.locator('section.figure .chart svg').first().waitFor();
await tab.getByRole('button', { name: 'Share and export' }).click();
await tab.getByRole('menuitem', { name: 'Send to channel' }).click();
await tab.getByLabel(/Send this page/).fill('The second week of September looks odd, does it not?');
await keep(page, 'channel');

/** The works app, as one of its people. */
async function enterWorks(name: string, path: string, height = 800): Promise<void> {
  page = await open('light', undefined, height);
  await page.goto(`${works}/sign-in?to=${encodeURIComponent(path)}`);
  await page.getByRole('button', { name }).click();
  await page.waitForURL(`${works}${path}`);
}
await enterWorks('Ines Holt', '/quays/Q008', 900);
await page.frameLocator('under-bell iframe').locator('section.figure .chart svg').first().waitFor();
await page.frameLocator('#panel').locator('section.figure').first().waitFor();
await keep(page, 'works-app');

page = await open('light', publisher.email, 800, 320);
await page.goto(`${service}/a/works/panel?record=quay:Q017`);
await page.locator('section.figure').first().waitFor();
await keep(page, 'side-panel');

page = await open('light', publisher.email, 900);
await page.goto(`${service}/console/placements/quay-record/record`);
await page.getByLabel('quay', { exact: true }).last().fill('Q017');
await page.getByRole('cell', { name: 'quay is Q017' }).waitFor();
await page.frameLocator('iframe').first().locator('section.figure .chart svg').first().waitFor();
await keep(page, 'record-test');

// All screens, and what two of them show.
page = await open('light', publisher.email);
await page.goto(`${service}/console/screens`);
await page.getByRole('link', { name: 'Office Northing' }).waitFor();
await keep(page, 'screens');
const day = new Date().toISOString().slice(0, 10);
const playing: Buffer[] = [];
for (const [screen, width, height] of [
  ['office-northing', 1280, 720],
  ['quay-q017', 720, 1280],
] as const) {
  page = await open('light', publisher.email, height, width);
  await page.goto(`${service}/screen/?preview=${screen}&at=${day}T12:00:01Z`);
  await page.locator('.slot.shown .chart svg').first().waitFor();
  playing.push(await shoot(page));
}
await keepBeside('player', playing);

// A device of its own: its code, and what it shows a day after its network went.
page = await open('light', publisher.email, 720);
await page.clock.install();
await page.goto(`${service}/screen/`);
const code = (await page.locator('.code').textContent())!;
const bad = [await page.screenshot()];
const { attributes, timeZone, language } = (await (
  await page.request.get(`${service}/api/v1/screens/quay-q017`)
).json()) as Record<string, object>;
const hung = { name: 'photographed', title: 'Photographed', group: 'quays', attributes, timeZone, language };
const group = `${service}/api/v1/screen-groups/quays`;
const { title, otherwise, leaseHours, worryMinutes } = (await (await page.request.get(group)).json()) as object & {
  [name: string]: unknown;
};
await page.request.put(group, { data: { title, otherwise, leaseHours, worryMinutes: 600 } });
await page.request.post(`${service}/api/v1/pairing-codes/${code}`, { data: hung });
for (let i = 0; i < 60 && !(await page.locator('.slot.shown .chart svg').count()); i++) await page.clock.runFor(2_000);
await page.waitForTimeout(5_000);
await page.context().setOffline(true);
await page.clock.fastForward(26 * 3_600_000);
for (let i = 0; i < 60 && !(await page.locator('.slot.shown .chart svg').count()); i++) await page.clock.runFor(2_000);
bad.push(await page.screenshot());
await page.context().setOffline(false);
await page.request.put(group, { data: { title, otherwise, leaseHours, worryMinutes } });
await page.request.post(`${service}/api/v1/screens/photographed/unpair`);
await page.request.delete(`${service}/api/v1/screens/photographed`);
await page.context().close();
await keepBeside('player-offline', bad);

keepPdf(await newestFile('.pdf', 'quay-pack'));
await browser.close();
