import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { demoPassword, demoPeople } from '../demo/src/people.ts';
import { launchBrowser } from './browser.ts';
import { root } from './install.mjs';

const first = Number(process.env['UNDERBELL_PORT'] ?? 7300);
const service = `http://127.0.0.1:${first}`;
const mailboxes = `http://127.0.0.1:${first + 2}`;
const portal = `http://127.0.0.1:${first + 3}`;
const folder = join(root, 'docs/screenshots');

const browser = await launchBrowser();

async function open(scheme: 'light' | 'dark', person?: string, height = 800): Promise<Page> {
  const context = await browser.newContext({ viewport: { width: 1280, height }, colorScheme: scheme });
  const page = await context.newPage();
  if (person) await page.request.post(`${service}/api/v1/session`, { data: { email: person, password: demoPassword } });
  return page;
}

async function keep(page: Page, name: string): Promise<void> {
  await page.waitForLoadState('networkidle');
  await page.waitForTimeout(600);
  await page.screenshot({ path: join(folder, `${name}.png`) });
  process.stdout.write(`${name}.png\n`);
  await page.context().close();
}

/** The newest copy of the demo's manager, first sheet. */
async function keepPdf(): Promise<void> {
  const mails = (await (await fetch(`${mailboxes}/api/mails`)).json()) as {
    id: number;
    to: string[];
    files: string[];
  }[];
  const mail = mails.filter((one) => one.to.includes(demoPeople.manager.email)).at(-1);
  if (!mail) throw new Error('send the quay pack first: npx underbell burst run quay-pack --period 2026-10');
  const index = mail.files.findIndex((name) => name.endsWith('.pdf'));
  const work = mkdtempSync(join(tmpdir(), 'underbell-pdf-'));
  writeFileSync(
    join(work, 'copy.pdf'),
    Buffer.from(await (await fetch(`${mailboxes}/mail/${mail.id}/file/${index}`)).arrayBuffer()),
  );
  execFileSync('pdftoppm', ['-r', '100', '-png', '-singlefile', join(work, 'copy.pdf'), join(folder, 'quay-pack-pdf')]);
  process.stdout.write('quay-pack-pdf.png\n');
  const page = await open('light');
  await page.goto(`${mailboxes}/mail/${mail.id}`);
  await keep(page, 'mailbox');
}

mkdirSync(folder, { recursive: true });
const { publisher, manager } = demoPeople;

let page = await open('light', publisher.email);
await page.goto(`${service}/console/`);
await keep(page, 'console-start');

page = await open('light', publisher.email);
await page.goto(`${service}/console/reports/quay-punctuality`);
await keep(page, 'console-report');

page = await open('light', publisher.email);
await page.goto(`${service}/console/sending/quay-pack`);
await page.getByText('Also to those who have it already').click();
await page.getByLabel('month').fill('2026-10');
await page.getByRole('button', { name: 'Plan' }).click();
await page.getByText('copies').first().waitFor();
await keep(page, 'console-plan');

page = await open('light', publisher.email);
await page.goto(`${service}/console/sending/quay-pack`);
await page.getByRole('heading', { name: /Ledger/ }).waitFor();
await keep(page, 'console-ledger');

page = await open('light', undefined, 1000);
await page.goto(`${portal}/quay/Q017`);
await page.frameLocator('under-bell iframe').getByText('Quay is Q017').waitFor();
await keep(page, 'portal');

page = await open('dark', manager.email);
await page.goto(`${service}/v/quay-page?month=2026-10-01`);
await page.getByText('Quay is Q017').waitFor();
await keep(page, 'viewer-dark');

page = await open('light');
await page.goto(`${service}/v/quay-page`);
await page.getByRole('heading', { name: 'Sign in' }).waitFor();
await keep(page, 'sign-in');

page = await open('light', publisher.email, 900);
await page.goto(`${service}/console/data/sailings`);
await page.locator('tr', { hasText: 'own-quay' }).getByRole('button', { name: 'Edit' }).click();
await page.getByText('rows kept').waitFor();
await page.locator('.cm-content').click();
await page.keyboard.press('Control+End');
await page.keyboard.type(' AND cancelled = FALSE');
await page.keyboard.press('Escape');
await page.getByText('cancelled is no').first().waitFor();
await page.locator('.editor').evaluate((one) => one.scrollIntoView());
await keep(page, 'rule-editor');

page = await open('light', publisher.email, 950);
await page.goto(`${service}/console/reports/quay-punctuality/see?as=ines.holt@skerrow.example`);
await page.getByLabel('Compare with').selectOption(`person:${manager.email}`);
await page.getByRole('button', { name: 'See', exact: true }).click();
await page.getByText('both see').waitFor();
await keep(page, 'see-as');

page = await open('light', 'board@harbourboard.example');
await page.goto(`${service}/v/quay-page`);
await page.getByLabel('What you need it for').fill('We review the October figures on Thursday.');
await page.getByRole('button', { name: 'Ask for access' }).click();
await page.getByText('Your request is on its way').waitFor();
page = await open('light', publisher.email);
await page.goto(`${service}/console/people/requests`);
await page.getByRole('button', { name: 'Let in' }).first().waitFor();
await keep(page, 'access-request');

await keepPdf();
await browser.close();
