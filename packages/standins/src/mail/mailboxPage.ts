import Router from '@koa/router';
import Koa, { type Context } from 'koa';
import { escapeHtml, page } from '../html.ts';
import type { MailHost, StoredMail } from './mailHost.ts';

const accent = '#4a3b63';
const header = '<header><b>Mailboxes</b><a href="/">All mailboxes</a></header>';
const size = (bytes: number) =>
  bytes < 1024 ? `${bytes} B` : `${(bytes / 1024).toLocaleString('en-GB', { maximumFractionDigits: 0 })} kB`;

function mailboxList(host: MailHost): string {
  const counts = new Map<string, number>();
  for (const mail of host.mails) for (const to of mail.to) counts.set(to, (counts.get(to) ?? 0) + 1);
  const rows = [...counts]
    .sort()
    .map(
      ([address, count]) =>
        `<tr><td><a href="/box/${encodeURIComponent(address)}">${escapeHtml(address)}</a></td><td class="number">${count}</td></tr>`,
    );
  const list =
    rows.length === 0
      ? '<p class="quiet">No mail has arrived yet.</p>'
      : `<table><tr><th>Mailbox</th><th class="number">Messages</th></tr>${rows.join('')}</table>`;
  return page(
    'Mailboxes',
    `${header}<main><p class="quiet">${host.mails.length} messages in ${counts.size} mailboxes</p>${list}</main>`,
    accent,
  );
}

async function mailbox(host: MailHost, address: string): Promise<string> {
  const mails = host.mails.filter((mail) => mail.to.includes(address)).reverse();
  const rows = await Promise.all(
    mails.map(async (mail) => {
      const { subject, date, attachments } = await host.parse(mail);
      return `<tr><td><a href="/mail/${mail.id}">${escapeHtml(subject ?? '(no subject)')}</a></td><td>${attachments.length} files</td><td class="quiet">${date?.toISOString().slice(0, 16).replace('T', ' ') ?? ''}</td></tr>`;
    }),
  );
  return page(
    address,
    `${header}<main><h1>${escapeHtml(address)}</h1><table><tr><th>Subject</th><th>Attachments</th><th>Sent (UTC)</th></tr>${rows.join('')}</table></main>`,
    accent,
  );
}

async function message(host: MailHost, mail: StoredMail): Promise<string> {
  const { subject, from, date, text, html, attachments, messageId } = await host.parse(mail);
  const files = attachments.map(
    (file, i) =>
      `<li><a href="/mail/${mail.id}/file/${i}">${escapeHtml(file.filename ?? `file ${i}`)}</a> <span class="quiet">${size(file.size)}</span></li>`,
  );
  const lines = [
    ['From', from?.text],
    ['To', mail.to.join(', ')],
    ['Sent', date?.toUTCString()],
    ['Message-ID', messageId],
  ];
  const facts = lines.map(([name, value]) => `<tr><th>${name}</th><td>${escapeHtml(value ?? '')}</td></tr>`).join('');
  const words = `<pre>${escapeHtml(text ?? '')}</pre>`;
  // A frame of its own without any rights: what is in an email runs nothing here.
  const body = html
    ? `<iframe sandbox title="Message" style="width:100%;height:66rem;border:1px solid #d5d9d6;background:#fff" srcdoc="${escapeHtml(html)}"></iframe><details><summary>As text</summary>${words}</details>`
    : words;
  return page(
    subject ?? '',
    `${header}<main><h1>${escapeHtml(subject ?? '')}</h1><table>${facts}</table>${body}<h2>Attachments</h2><ul>${files.join('')}</ul></main>`,
    accent,
  );
}

/** The mailboxes as web pages, and as JSON under `/api/mails` for whoever counts. */
export function createMailboxPages(host: MailHost): Koa {
  const koa = new Koa();
  const router = new Router();
  type Params = Context & { params: Record<string, string> };
  const find = (ctx: Params) => host.mails.find((mail) => mail.id === Number(ctx.params['id']));
  router.get('/', (ctx: Context) => {
    ctx.body = mailboxList(host);
  });
  router.get('/box/:address', async (ctx: Params) => {
    ctx.body = await mailbox(host, ctx.params['address']!);
  });
  router.get('/mail/:id', async (ctx: Params) => {
    const mail = find(ctx);
    if (mail) ctx.body = await message(host, mail);
  });
  router.get('/mail/:id/file/:index', async (ctx: Params) => {
    const mail = find(ctx);
    const file = mail && (await host.parse(mail)).attachments[Number(ctx.params['index'])];
    if (!file) return;
    ctx.attachment(file.filename ?? 'file', { type: file.contentType === 'application/pdf' ? 'inline' : 'attachment' });
    ctx.type = file.contentType;
    ctx.body = file.content;
  });
  router.get('/api/mails', async (ctx: Context) => {
    ctx.body = await Promise.all(
      host.mails.map(async (mail) => {
        const { subject, messageId, attachments } = await host.parse(mail);
        return { id: mail.id, to: mail.to, subject, messageId, files: attachments.map((one) => one.filename) };
      }),
    );
  });
  koa.use(router.routes());
  return koa;
}
