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

/** Calls the API. @throws {ApiProblem} */
export async function call<T>(method: 'GET' | 'POST' | 'PUT' | 'DELETE', path: string, body?: object): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(path, {
      method,
      ...(body ? { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) } : {}),
    });
  } catch {
    throw new ApiProblem(unreachable);
  }
  if (answer.status === 204) return undefined as T;
  let said: unknown;
  try {
    said = await answer.json();
  } catch {
    // A gateway in between answers pages of its own, and a line may break in the middle.
    throw new ApiProblem(unreachable);
  }
  if (answer.ok) return said as T;
  throw new ApiProblem(
    typeof (said as Partial<ProblemDocument> | null)?.code === 'string' ? (said as ProblemDocument) : unreachable,
  );
}
