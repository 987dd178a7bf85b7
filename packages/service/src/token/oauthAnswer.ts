import type { Context } from 'koa';
import { isRefusal, type Refusal } from '@underbell/core/refusal';

const oauthCodes: Partial<Record<string, string>> = {
  CLIENT_INVALID: 'invalid_client',
  GRANT_UNSUPPORTED: 'unsupported_grant_type',
  INPUT_INVALID: 'invalid_request',
  TOKEN_INVALID: 'invalid_grant',
  TOKEN_EXPIRED: 'invalid_grant',
  TOKEN_REVOKED: 'invalid_grant',
  PROOF_INVALID: 'invalid_dpop_proof',
  TOO_MANY: 'slow_down',
  SCREEN_CLOSED: 'invalid_grant',
  PAIRING_PENDING: 'authorization_pending',
  PAIRING_SLOWER: 'slow_down',
  PAIRING_REFUSED: 'access_denied',
  PAIRING_EXPIRED: 'expired_token',
};

function codeOf(error: Refusal): string {
  if (error.code === 'INPUT_INVALID' && error.details.pointer === 'scope') return 'invalid_scope';
  if (error.code === 'INPUT_INVALID' && error.details.pointer === 'audience') return 'invalid_target';
  return oauthCodes[error.code] ?? 'invalid_authorization_details';
}

/** Answers a refusal as RFC 6749 section 5.2 wants it, with our code and hint beside. */
export async function oauthAnswer(ctx: Context, work: () => Promise<object>): Promise<object | null> {
  ctx.set('Cache-Control', 'no-store');
  try {
    return await work();
  } catch (error) {
    if (!isRefusal(error)) throw error;
    const code = codeOf(error);
    ctx.status = code === 'invalid_client' ? 401 : error.code === 'TOO_MANY' ? 429 : 400;
    if (code === 'invalid_client') ctx.set('WWW-Authenticate', 'Basic realm="Under Bell"');
    ctx.body = { error: code, error_description: error.message, code: error.code, ...error.details };
    return null;
  }
}
