import type { ProblemDocument } from '@underbell/core/refusal';

/** A refusal of the service. */
export class ApiProblem extends Error {
  constructor(readonly document: ProblemDocument) {
    super(document.detail);
  }
}

const unreachable: ProblemDocument = {
  type: 'urn:underbell:problem:service-unreachable',
  title: 'The service cannot be reached',
  status: 503,
  code: 'SERVICE_UNREACHABLE',
  detail: 'the service does not answer',
  hint: 'check the connection, then try again',
};

type Method = 'GET' | 'POST' | 'PUT' | 'DELETE';

async function ask(method: Method, path: string, body?: object): Promise<Response> {
  try {
    return await fetch(path, {
      method,
      ...(body ? { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) } : {}),
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

/** Calls the API. @throws {ApiProblem} */
export async function call<T>(method: Method, path: string, body?: object): Promise<T> {
  const answer = await ask(method, path, body);
  if (answer.status === 204) return undefined as T;
  const said = await readJson(answer);
  if (answer.ok) return said as T;
  throw problemOf(said);
}

/** A file that the API answers. @throws {ApiProblem} */
export async function download(method: Method, path: string, body?: object): Promise<Blob> {
  const answer = await ask(method, path, body);
  if (!answer.ok) throw problemOf(await readJson(answer));
  try {
    return await answer.blob();
  } catch {
    throw new ApiProblem(unreachable);
  }
}
