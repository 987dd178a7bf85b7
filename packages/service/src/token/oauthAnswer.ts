import type { Context } from 'koa';
import Joi from 'joi';
import type { Refusal } from '@underbell/core/refusal';

const oauthCodes: Partial<Record<string, string>> = {
  CLIENT_INVALID: 'invalid_client',
  GRANT_UNSUPPORTED: 'unsupported_grant_type',
  INPUT_INVALID: 'invalid_request',
  INPUT_TOO_LARGE: 'invalid_request',
  OPTION_UNKNOWN: 'invalid_request',
  CROSS_SITE: 'invalid_request',
  TOKEN_INVALID: 'invalid_grant',
  TOKEN_EXPIRED: 'invalid_grant',
  TOKEN_REVOKED: 'invalid_grant',
  PROOF_INVALID: 'invalid_dpop_proof',
  RATE_LIMITED: 'slow_down',
  SCREEN_UNPAIRED: 'invalid_grant',
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
export function answerOAuthRefusal(ctx: Context, error: Refusal): void {
  const code = codeOf(error);
  ctx.set('Cache-Control', 'no-store');
  ctx.status = code === 'invalid_client' ? 401 : error.code === 'RATE_LIMITED' ? 429 : 400;
  if (code === 'invalid_client') ctx.set('WWW-Authenticate', 'Basic realm="Under Bell"');
  ctx.body = { error: code, error_description: error.message, code: error.code, ...error.details };
}

/**
 * Form fields of an endpoint: those that are not known here are ignored, and one without a value counts as left out.
 *
 * @see RFC 6749, sections 3.1 and 3.2
 */
export const oauthForm = <Fields extends Record<string, Joi.StringSchema>>(fields: Fields) =>
  Joi.object(
    Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, field.empty('')])) as Fields,
  ).unknown(true);

/** What is the same for all endpoints. */
export const oauthEndpoint = {
  method: 'post',
  audience: 'anyone',
  takesForm: true,
  answerRefusal: answerOAuthRefusal,
} as const;
