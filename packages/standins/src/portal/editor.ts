import Router from '@koa/router';
import bodyParser from '@koa/bodyparser';
import type { Context, Middleware } from 'koa';
import { unfurl } from 'unfurl.js';
import { escapeHtml, page } from '../html.ts';

/** A page that somebody of the portal writes: words, and links that become what they lead to. */
interface WrittenPage {
  readonly slug: string;
  readonly title: string;
  /** Lines; one that is a link alone is shown as what it leads to. */
  readonly text: string;
}

const isLink = (line: string) => /^https?:\/\/\S+$/.test(line.trim());

/** The frame that a provider offers, made anew from its parts: nothing else of its markup comes into the page. */
function frameIn(html: string, origin: string): string | undefined {
  const part = (name: string) => new RegExp(`\\b${name}="([^"<>]*)"`).exec(html)?.[1];
  const [source, width, height] = [part('src'), part('width'), part('height')];
  if (!/^<iframe\b/.test(html) || source === undefined || !URL.canParse(source)) return undefined;
  if (new URL(source).origin !== origin) return undefined;
  return `<iframe src="${escapeHtml(source)}" title="${escapeHtml(part('title') ?? '')}" width="${Number(width) || 800}" height="${Number(height) || 480}" loading="lazy" style="border:0;max-width:100%"></iframe>`;
}

/** What a pasted link becomes: a frame where its page says how it is embedded (oEmbed), else a link. */
async function embedded(link: string, allowed: readonly string[]): Promise<string> {
  const plain = `<p><a href="${escapeHtml(link)}">${escapeHtml(link)}</a></p>`;
  const { origin } = new URL(link);
  // Editors ask only those providers that their administrator named.
  if (!allowed.includes(origin)) return plain;
  const found = await unfurl(link, { oembed: true, follow: 0, timeout: 10_000 }).catch(() => undefined);
  const html = (found?.oEmbed as { html?: string } | undefined)?.html;
  return (html === undefined ? undefined : frameIn(html, origin)) ?? plain;
}

async function bodyOf({ title, text }: WrittenPage, allowed: readonly string[]): Promise<string> {
  const blocks = await Promise.all(
    text
      .split(/\n+/)
      .map((line) => line.trim())
      .filter((line) => line !== '')
      .map((line) => (isLink(line) ? embedded(line, allowed) : Promise.resolve(`<p>${escapeHtml(line)}</p>`))),
  );
  return `<h1>${escapeHtml(title)}</h1>${blocks.join('')}`;
}

/** Pages of the portal that people write in its own editor, as editors of pages work: a link on a line of its own becomes a frame. */
export class PageEditor {
  readonly #pages = new Map<string, WrittenPage>();
  readonly #allowed: readonly string[];
  readonly #frame: (title: string, body: string) => string;

  /** @param allowed - origins of providers that links may be turned into frames of */
  constructor(allowed: readonly string[], start: readonly WrittenPage[], accent: string, header: string) {
    this.#allowed = allowed;
    for (const one of start) this.#pages.set(one.slug, one);
    this.#frame = (title, body) => page(title, `${header}<main>${body}</main>`, accent);
  }

  list(): string {
    const items = [...this.#pages.values()].map(
      (one) =>
        `<li><a href="/pages/${one.slug}">${escapeHtml(one.title)}</a> <a class="quiet" href="/pages/${one.slug}/edit">edit</a></li>`,
    );
    return `<h2>Pages</h2><ul>${items.join('')}</ul>`;
  }

  routes(): Middleware {
    const router = new Router();
    const form = bodyParser({ enableTypes: ['form'], formLimit: '64kb' });
    type Asked = Context & { params: { slug: string } };
    const found = ({ params }: Asked) => this.#pages.get(params.slug);
    router.get('/pages/:slug', async (ctx: Asked) => {
      const one = found(ctx);
      if (one) ctx.body = this.#frame(one.title, await bodyOf(one, this.#allowed));
    });
    router.get('/pages/:slug/edit', async (ctx: Asked) => {
      const one = found(ctx);
      if (!one) return;
      const preview = await bodyOf(one, this.#allowed);
      const editor = `<form method="post" class="editor"><p><label>Title <input name="title" value="${escapeHtml(one.title)}" required maxlength="200"></label></p><p><label>Text; a link on a line of its own is shown as what it leads to<textarea name="text" rows="8" maxlength="20000">${escapeHtml(one.text)}</textarea></label></p><p><button>Save</button> <a href="/pages/${one.slug}">Show the page</a></p></form>`;
      ctx.body = this.#frame(`Edit ${one.title}`, `${editor}<hr>${preview}`);
    });
    router.post('/pages/:slug/edit', form as never, (ctx: Asked) => {
      const one = found(ctx);
      if (!one) return;
      const origin = ctx.get('Origin');
      if (origin !== '' && origin !== `${ctx.protocol}://${ctx.host}`) ctx.throw(403);
      const { title = one.title, text = '' } = ctx.request.body as { title?: string; text?: string };
      this.#pages.set(one.slug, { slug: one.slug, title: title.trim() || one.title, text });
      ctx.redirect(`/pages/${one.slug}/edit`);
    });
    return router.routes() as Middleware;
  }
}
