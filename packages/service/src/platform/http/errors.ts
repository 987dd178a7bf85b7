import { randomUUID } from 'node:crypto';
import { ConnectionAcquireTimeoutError } from 'sequelize';
import type { Context, Next } from 'koa';
import { Refusal, toProblemDocument, type ProblemDocument } from '@underbell/core/refusal';
import type { App } from '../app.ts';
import { databaseBusy, databaseUnreachable } from '../pool.ts';
import { isCollision, isConnectionLost } from '../retry.ts';

/** Errors of the body parser and router that are the asker's fault, and those of a database that does not answer. */
export function asRefusal(error: unknown): Refusal | undefined {
  if (error instanceof Refusal) return error;
  if (error instanceof ConnectionAcquireTimeoutError || isCollision(error)) return databaseBusy(error);
  if (isConnectionLost(error)) return databaseUnreachable(error);
  const status = (error as { status?: number; statusCode?: number }).status;
  if (status === 413) return new Refusal('INPUT_TOO_LARGE', 'The body is larger than allowed.', {}, { cause: error });
  if (status === 403 || status === 404) return new Refusal('NOT_FOUND', 'File not found.', {}, { cause: error });
  if (status === 400) return new Refusal('INPUT_INVALID', 'The body is not valid JSON.', {}, { cause: error });
  return undefined;
}

function unexpected(app: App, error: unknown, ctx: Context): ProblemDocument {
  const reference = randomUUID();
  app.log.error({ err: error, reference, method: ctx.method, path: ctx.path }, 'unexpected error');
  const message = 'Something went wrong. Send the reference to your administrator.';
  return { ...toProblemDocument(new Refusal('INTERNAL', message)), reference };
}

/** What a refused key is told. @see RFC 6750, section 3; RFC 9449, section 7.1 */
function challengeOf(ctx: Context, { code, detail }: ProblemDocument): string {
  const authorization = ctx.get('Authorization');
  const isProof = code === 'PROOF_INVALID';
  const scheme = isProof || authorization.startsWith('DPoP ') ? 'DPoP' : 'Bearer';
  if (authorization === '') return scheme;
  const words = detail.replace(/[^\x20-\x7e]|["\\]/g, "'");
  return `${scheme} error="${isProof ? 'invalid_dpop_proof' : 'invalid_token'}", error_description="${words}"`;
}

/** After which a request that the database did not answer comes again. */
const retrySeconds = 5;

/** The single exit for errors: words every refusal as a problem document (RFC 9457). */
export function answerErrors(app: App) {
  return async (ctx: Context, next: Next): Promise<void> => {
    try {
      await next();
      if (ctx.status === 404 && ctx.body === undefined) {
        throw new Refusal('NOT_FOUND', `${ctx.method} ${ctx.path} does not exist.`);
      }
      if (ctx.status === 405) {
        const hint = `Allowed: ${ctx.response.get('Allow')}.`;
        throw new Refusal('METHOD_NOT_ALLOWED', `${ctx.method} is not allowed on ${ctx.path}.`, { hint });
      }
    } catch (error) {
      const refusal = asRefusal(error);
      const problem = refusal ? toProblemDocument(refusal) : unexpected(app, error, ctx);
      if (refusal?.cause) app.log.info({ err: refusal.cause, code: refusal.code }, 'refused');
      ctx.status = problem.status;
      if (problem.status === 401) ctx.set('WWW-Authenticate', challengeOf(ctx, problem));
      if (problem.code === 'DATABASE_BUSY' || problem.code === 'DATABASE_UNREACHABLE')
        ctx.set('Retry-After', String(retrySeconds));
      ctx.set('Cache-Control', 'no-store');
      ctx.type = 'application/problem+json';
      ctx.body = JSON.stringify(problem);
    }
  };
}
