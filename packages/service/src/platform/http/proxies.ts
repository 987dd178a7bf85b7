import { BlockList, isIP } from 'node:net';
import type { Context, Next } from 'koa';
import type { App } from '../app.ts';

const family = (address: string) => (isIP(address) === 6 ? 'ipv6' : 'ipv4');

/** Networks as a list to look addresses up in. */
export function networksOf(texts: readonly string[]): BlockList {
  const list = new BlockList();
  for (const text of texts) {
    const [address = '', bits] = text.split('/');
    if (bits === undefined) list.addAddress(address, family(address));
    else list.addSubnet(address, Number(bits), family(address));
  }
  return list;
}

const bare = (text: string) => text.trim().replace(/^\[|\](:\d+)?$/g, '');

/**
 * Who asks, as far as it is known: the nearest address on the way that is no proxy of ours. What stands before it somebody
 * else may have written.
 *
 * @param way - `X-Forwarded-For`, from the first to the nearest
 */
export function askerBehind(peer: string, way: string, trusted: BlockList): string {
  const isTrusted = (address: string) => isIP(address) !== 0 && trusted.check(address, family(address));
  let asker = peer;
  for (const address of way.split(',').map(bare).reverse()) {
    if (!isTrusted(asker) || isIP(address) === 0) break;
    asker = address;
  }
  return asker;
}

/**
 * Takes the word of trusted proxies for who asks and by which scheme, and of nobody else. An installation that is reached
 * by HTTPS keeps its cookies to HTTPS, whatever lies between.
 */
export function believeProxies(app: App) {
  const trusted = networksOf(app.settings.trustedProxies);
  const isSecure = app.settings.publicUrl.startsWith('https:');
  return async (ctx: Context, next: Next): Promise<void> => {
    const peer = ctx.req.socket.remoteAddress ?? '';
    if (isIP(peer) !== 0 && trusted.check(peer, family(peer))) {
      ctx.request.ip = askerBehind(peer, ctx.get('X-Forwarded-For'), trusted);
      const [scheme] = ctx.get('X-Forwarded-Proto').split(',');
      if (scheme?.trim() === 'https') Object.defineProperty(ctx.request, 'protocol', { value: 'https' });
    } else ctx.request.ip = peer;
    if (isSecure) ctx.cookies.secure = true;
    await next();
  };
}
