import { createReadStream, existsSync } from 'node:fs';
import { writeFile } from 'node:fs/promises';
import type { ProblemDocument } from '@underbell/core/refusal';
import { readCredentials, serviceUrl } from './credentials.ts';
import { localProblem, Problem } from './problem.ts';

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

interface CallOptions {
  readonly query?: Readonly<Record<string, QueryValue>>;
  readonly body?: object;
  /** A file that is sent as it is. */
  readonly file?: { readonly path: string; readonly type: string };
  readonly isAnonymous?: boolean;
}

/**
 * Sends a file, read as it is sent: one of gigabytes never lies in memory. The service takes long to look at it, so the
 * answer is waited for without end; whoever waits can stop it.
 */
async function sendFile(
  url: string,
  method: string,
  headers: Readonly<Record<string, string>>,
  path: string,
): Promise<Response> {
  const { Agent, request } = await import('undici');
  const dispatcher = new Agent({ headersTimeout: 0, bodyTimeout: 0 });
  const body = createReadStream(path);
  const answer = await request(url, { method: method as 'PUT', headers: { ...headers }, body, dispatcher });
  const { 'content-type': type } = answer.headers;
  return new Response(await answer.body.text(), {
    status: answer.statusCode,
    headers: typeof type === 'string' ? { 'Content-Type': type } : {},
  });
}

/**
 * Calls the service's API.
 *
 * @throws {Problem} whatever the service refused, or `SERVICE_UNREACHABLE`, `SIGN_IN_NEEDED`, `NOT_FOUND` for a missing file
 */
export async function callService(method: string, path: string, options: CallOptions = {}): Promise<Response> {
  const credentials = readCredentials();
  if (!credentials && !options.isAnonymous)
    throw localProblem('SIGN_IN_NEEDED', `You are not signed in to ${serviceUrl()}.`, {
      hint: 'Run underbell sign-in EMAIL.',
    });
  const { file, body } = options;
  if (file && !existsSync(file.path))
    throw localProblem('NOT_FOUND', `There is no file “${file.path}”.`, { word: file.path });
  const url = `${serviceUrl()}${path}${queryText(options.query ?? {})}`;
  const headers = {
    ...(credentials && !options.isAnonymous ? { Authorization: `Bearer ${credentials.key}` } : {}),
    ...(file ? { 'Content-Type': file.type } : body ? { 'Content-Type': 'application/json' } : {}),
  };
  let answer: Response;
  try {
    answer = file
      ? await sendFile(url, method, headers, file.path)
      : await fetch(url, { method, headers, ...(body ? { body: JSON.stringify(body) } : {}) });
  } catch (cause) {
    throw localProblem(
      'SERVICE_UNREACHABLE',
      `Under Bell does not respond at ${serviceUrl()}.`,
      { hint: 'Start it with npm start, or check UNDERBELL_URL.' },
      { cause },
    );
  }
  if (answer.ok) return answer;
  throw await readProblem(answer);
}

async function readProblem(answer: Response): Promise<Problem> {
  const text = await answer.text();
  const document = readDocument(text);
  if (typeof document?.code === 'string' && typeof document.detail === 'string')
    return new Problem(document as ProblemDocument);
  return localProblem('INTERNAL', `The service answered with status ${answer.status} and no reason.`);
}

function readDocument(text: string): Partial<ProblemDocument> | null | undefined {
  try {
    return JSON.parse(text) as Partial<ProblemDocument> | null;
  } catch {
    // A gateway in between answers pages of its own.
    return undefined;
  }
}

/** The same, with the answer's JSON. @throws {Problem} as well where something else answers at that address */
export async function callApi<T>(method: string, path: string, options: CallOptions = {}): Promise<T> {
  const answer = await callService(method, path, options);
  if (answer.status === 204) return {} as T;
  try {
    return (await answer.json()) as T;
  } catch (cause) {
    const hint = 'Check the URL, then run underbell sign-in EMAIL --url URL.';
    throw localProblem('SERVICE_UNREACHABLE', `The server at ${serviceUrl()} is not Under Bell.`, { hint }, { cause });
  }
}

/** Writes down what the service answers. @returns how many bytes it were */
export async function fetchFile(path: string, query: CallOptions['query'], out: string): Promise<number> {
  const answer = await callService('GET', path, query ? { query } : {});
  const bytes = Buffer.from(await answer.arrayBuffer());
  await writeFile(out, bytes);
  return bytes.length;
}
