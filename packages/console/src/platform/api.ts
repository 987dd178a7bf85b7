import type { ProblemDocument } from '@underbell/core/refusal';

/** A refusal of the service. */
export class ApiProblem extends Error {
  constructor(readonly document: ProblemDocument) {
    super(document.detail);
  }
}

const unreachable: ProblemDocument = {
  type: 'urn:underbell:problem:service-unreachable',
  title: 'Service not reachable',
  status: 503,
  code: 'SERVICE_UNREACHABLE',
  detail: 'The service is not responding.',
  hint: 'Check the connection, then try again.',
};

type Method = 'GET' | 'POST' | 'PUT' | 'DELETE';

interface Sent {
  readonly type: string;
  readonly bytes: Blob | string;
}
const asJson = (body: object): Sent => ({ type: 'application/json', bytes: JSON.stringify(body) });

async function ask(method: Method, path: string, sent?: Sent): Promise<Response> {
  try {
    return await fetch(path, {
      method,
      ...(sent ? { headers: { 'Content-Type': sent.type }, body: sent.bytes } : {}),
    });
  } catch {
    throw new ApiProblem(unreachable);
  }
}

async function readJson(answer: Response): Promise<unknown> {
  try {
    return await answer.json();
  } catch {
    // A gateway in between answers pages of its own, and a line may break in the middle.
    throw new ApiProblem(unreachable);
  }
}

const problemOf = (said: unknown): ApiProblem =>
  new ApiProblem(
    typeof (said as Partial<ProblemDocument> | null)?.code === 'string' ? (said as ProblemDocument) : unreachable,
  );

async function readAnswer<T>(answer: Response): Promise<T> {
  if (answer.status === 204) return undefined as T;
  const said = await readJson(answer);
  if (answer.ok) return said as T;
  throw problemOf(said);
}

/** Calls the API. @throws {ApiProblem} */
export const call = async <T>(method: Method, path: string, body?: object): Promise<T> =>
  readAnswer(await ask(method, path, body && asJson(body)));

/**
 * Sends a file to the API.
 *
 * @param said - what is said of it in the address
 * @throws {ApiProblem}
 */
export const sendFile = async <T>(
  method: 'PUT' | 'POST',
  path: string,
  said: Readonly<Record<string, string>>,
  bytes: Blob | string,
  type = 'application/octet-stream',
): Promise<T> => readAnswer(await ask(method, `${path}?${new URLSearchParams(said).toString()}`, { type, bytes }));

/** A file that the API answers. @throws {ApiProblem} */
export async function download(method: Method, path: string, body?: object): Promise<Blob> {
  const answer = await ask(method, path, body && asJson(body));
  if (!answer.ok) throw problemOf(await readJson(answer));
  try {
    return await answer.blob();
  } catch {
    throw new ApiProblem(unreachable);
  }
}
