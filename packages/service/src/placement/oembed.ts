import { escapeUTF8 } from 'entities';
import { Refusal } from '@underbell/core/refusal';
import { thingName } from '@underbell/core/dataset';
import type { App } from '../platform/index.ts';
import type { PageLink } from '../platform/pages.ts';

const usual = { width: 800, height: 480 };
const most = 4_000;

/** @see oEmbed 1.0, section 2.3.4.4: the type "rich" */
export interface RichEmbed {
  readonly version: '1.0';
  readonly type: 'rich';
  readonly provider_name: string;
  readonly provider_url: string;
  readonly html: string;
  readonly width: number;
  readonly height: number;
  /** Seconds. */
  readonly cache_age: number;
}

/** The path of a placement, or of a public link, that an address of this service leads to. @throws {Refusal} `NOT_FOUND` */
function pathAt(app: App, address: string): string {
  const unknown = () =>
    new Refusal('NOT_FOUND', 'Only URLs of placements can be embedded.', {
      pointer: 'url',
      word: address.slice(0, 200),
      hint: `Example: ${app.settings.publicUrl}/v/NAME`,
    });
  let url: URL;
  try {
    url = new URL(address);
  } catch {
    throw unknown();
  }
  const base = new URL(app.settings.publicUrl);
  const [, name] = /^\/v\/([^/]+)$/.exec(url.pathname) ?? [];
  const isPlacement = name !== undefined && thingName.test(name);
  if (url.origin !== base.origin || !(isPlacement || /^\/p\/ubp_[\w-]{1,100}$/.test(url.pathname))) throw unknown();
  return url.pathname;
}

/**
 * What a page's editor puts in place of a link. Whether there is such a placement, and what it is called, is told to nobody
 * here: the frame asks to sign in.
 *
 * @throws {Refusal} `NOT_FOUND` for an address that is none of a placement
 */
export function embed(
  app: App,
  {
    url,
    maxwidth = most,
    maxheight = most,
  }: { readonly url: string; readonly maxwidth?: number; readonly maxheight?: number },
): RichEmbed {
  const path = pathAt(app, url);
  const width = Math.min(usual.width, maxwidth);
  const height = Math.min(usual.height, maxheight);
  const source = `${app.settings.publicUrl}${path}`;
  return {
    version: '1.0',
    type: 'rich',
    provider_name: 'Under Bell',
    provider_url: app.settings.publicUrl,
    html: `<iframe src="${source}" title="Figures from Under Bell" width="${width}" height="${height}" loading="lazy" referrerpolicy="strict-origin" style="border:0;max-width:100%"></iframe>`,
    width,
    height,
    cache_age: 3_600,
  };
}

/** The same as XML. */
export function embedXml(found: RichEmbed): string {
  const parts = Object.entries(found).map(([key, value]) => `<${key}>${escapeUTF8(String(value))}</${key}>`);
  return `<?xml version="1.0" encoding="utf-8" standalone="yes"?>\n<oembed>${parts.join('')}</oembed>\n`;
}

/** Where editors find how a placement is embedded: the same for one that is not there. */
export function embedLinks(app: App, path: string): PageLink[] {
  const { publicUrl } = app.settings;
  const of = (format: 'json' | 'xml', type: string): PageLink => ({
    type,
    title: 'Figures from Under Bell',
    href: `${publicUrl}/oembed?${new URLSearchParams({ url: `${publicUrl}${path}`, format })}`,
  });
  return [of('json', 'application/json+oembed'), of('xml', 'text/xml+oembed')];
}
