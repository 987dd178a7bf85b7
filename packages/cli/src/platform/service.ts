import { existsSync, openAsBlob } from 'node:fs';
import { Agent, fetch, type RequestInit } from 'undici';
import type { ProblemDocument } from '@underbell/core/refusal';
import { readCredentials } from './credentials.ts';
import { localProblem, Problem } from './problem.ts';

/** A large file takes the service long to look at; whoever waits for it can stop it. */
const patient = new Agent({ headersTimeout: 0, bodyTimeout: 0 });
const defaultUrl = 'http://127.0.0.1:7300';

export type QueryValue = string | number | boolean | readonly string[] | undefined;

function queryText(query: Readonly<Record<string, QueryValue>>): string {
  const search = new URLSearchParams();
  for (const [name, value] of Object.entries(query)) {
    if (value === undefined) continue;
    for (const one of Array.isArray(value) ? value : [value]) search.append(name, String(one));
  }
  const text = search.toString();
  return text === '' ? '' : `?${text}`;
}

export function serviceUrl(): string {
  return (process.env['UNDERBELL_URL'] ?? readCredentials()?.url ?? defaultUrl).replace(/\/$/, '');
}

interface CallOptions {
  readonly query?: Readonly<Record<string, QueryValue>>;
  readonly body?: object;
  /** A file that is sent as it is. */
  readonly file?: { readonly path: string; readonly type: string };
  readonly isAnonymous?: boolean;
}

/**
 * Calls the service's API.
 *
 * @throws {Problem} whatever the service refused, or `SERVICE_UNREACHABLE`, `SIGN_IN_NEEDED`, `NOT_FOUND` for a missing file
 */
export async function callService(method: string, path: string, options: CallOptions = {}): Promise<Response> {
  const credentials = readCredentials();
  if (!credentials && !options.isAnonymous)
    throw localProblem('SIGN_IN_NEEDED', 'you are not signed in', { hint: 'underbell sign-in EMAIL' });
  const { file, body } = options;
  if (file && !existsSync(file.path))
    throw localProblem('NOT_FOUND', `there is no file \`${file.path}\``, { word: file.path });
  const url = `${serviceUrl()}${path}${queryText(options.query ?? {})}`;
  let answer: Response;
  try {
    // Types of one and the same standard, said twice.
    answer = (await fetch(url, {
      method,
      headers: {
        ...(credentials && !options.isAnonymous ? { Authorization: `Bearer ${credentials.key}` } : {}),
        ...(file ? { 'Content-Type': file.type } : body ? { 'Content-Type': 'application/json' } : {}),
      },
      ...(file
        ? // Read as it is sent: a file of gigabytes never lies in memory.
          { body: await openAsBlob(file.path) }
        : body
          ? { body: JSON.stringify(body) }
          : {}),
      dispatcher: patient,
    } as RequestInit)) as unknown as Response;
  } catch (cause) {
    throw localProblem(
      'SERVICE_UNREACHABLE',
      `Under Bell does not answer at ${serviceUrl()}`,
      { hint: 'is it started? npm start' },
      { cause },
    );
  }
  if (answer.ok) return answer;
  throw await readProblem(answer);
}

async function readProblem(answer: Response): Promise<Problem> {
  const text = await answer.text();
  try {
    return new Problem(JSON.parse(text) as ProblemDocument);
  } catch (cause) {
    return localProblem('INTERNAL', `the service answered ${answer.status} without a reason`, {}, { cause });
  }
}

/** The same, with the answer's JSON. */
export async function askService<T>(method: string, path: string, options: CallOptions = {}): Promise<T> {
  const answer = await callService(method, path, options);
  return (answer.status === 204 ? {} : await answer.json()) as T;
}
