import { createHash } from 'node:crypto';
import type { Context } from 'koa';
import { Refusal } from '@underbell/core/refusal';
import { verifyProof } from '@underbell/core/token';
import { useNonce, type App } from '../platform/index.ts';

const rememberedMs = 3 * 60_000;

/**
 * The thumbprint of the key that a request proves to hold; undefined when it brings no proof.
 *
 * @param token - the access token that the proof must be made for
 * @throws {Refusal} `PROOF_INVALID`, also for a proof that was seen before, by whichever process
 * @see RFC 9449
 */
export async function proofOf(app: App, ctx: Context, token?: string): Promise<string | undefined> {
  const header = ctx.get('DPoP');
  if (header === '') return undefined;
  const { thumbprint, id } = await verifyProof(header, {
    method: ctx.method,
    url: `${app.settings.publicUrl}${ctx.path}`,
    now: app.now(),
    ...(token === undefined ? {} : { tokenHash: createHash('sha256').update(token).digest('base64url') }),
  });
  const isNew = await useNonce(app, `proof ${thumbprint} ${id}`, new Date(app.now() + rememberedMs));
  if (!isNew) throw new Refusal('PROOF_INVALID', 'The DPoP proof was used before.');
  return thumbprint;
}
