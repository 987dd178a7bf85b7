import type { Context } from 'koa';
import type { Refusal } from '@underbell/core/refusal';
import { refusalKinds } from '@underbell/core/refusal';
import type { FetchedFile } from './downloads.ts';

/** A file that is saved, never shown inside a page of ours, and kept by nobody on the way. */
export function answerFile(ctx: Context, file: FetchedFile): { stream: ReturnType<FetchedFile['open']>; type: string } {
  ctx.attachment(file.name);
  ctx.length = file.size;
  ctx.set('Cache-Control', 'private, no-store');
  ctx.set('X-Robots-Tag', 'noindex');
  return { stream: file.open(), type: file.type };
}

const escapes: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
const html = (text: string) => text.replace(/[&<>"]/g, (one) => escapes[one]!);

/** A short page for links in emails. */
function answerPage(ctx: Context, status: number, title: string, body: string): null {
  ctx.status = status;
  ctx.type = 'html';
  ctx.set('Cache-Control', 'no-store');
  ctx.set('X-Robots-Tag', 'noindex');
  // Without a referrer browsers send the form with the origin `null`, which is refused like another site.
  ctx.set('Referrer-Policy', 'same-origin');
  ctx.set(
    'Content-Security-Policy',
    "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-ancestors 'none'",
  );
  ctx.body = `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>${html(title)}</title>
<style>body{font:1.05rem/1.5 system-ui,sans-serif;color:#12232b;background:#fbf9f5;max-width:34rem;margin:14vh auto;padding:0 1.2rem}h1{font-size:1.4rem;margin:0 0 .4rem}a{color:#1d5468}button{font:inherit;padding:.4rem 1rem;border:0;border-radius:4px;background:#1d5468;color:#fff;cursor:pointer}</style>
<main><h1>${html(title)}</h1>${body}</main></html>`;
  return null;
}

/** Asks the recipient to confirm. */
export function answerQuestion(ctx: Context, title: string, address: string): null {
  const body = `<p>Unsubscribe ${html(address)} from “${html(title)}”?</p><form method="post"><button>Unsubscribe</button></form>`;
  return answerPage(ctx, 200, title, body);
}

/** Confirms that the recipient is unsubscribed. */
export function answerDone(ctx: Context, title: string, address: string): null {
  const body = `<p>${html(address)} no longer gets “${html(title)}”. To subscribe again, contact the sender.</p>`;
  return answerPage(ctx, 200, 'Unsubscribed', body);
}

/** Why a link of an email does not open. */
export function answerWords(ctx: Context, refusal: Refusal): null {
  const { status, title } = refusalKinds[refusal.code];
  const back = encodeURIComponent(ctx.path);
  const next =
    refusal.code === 'SIGN_IN_NEEDED'
      ? `<p><a href="/console/sign-in?then=${back}">Sign in</a> to download the file.</p>`
      : `<p>${html(refusal.details.hint ?? 'Ask the sender for a new link.')}</p>`;
  return answerPage(ctx, status, title, `<p>${html(refusal.message)}</p>${next}`);
}
