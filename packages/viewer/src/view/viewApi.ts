import type { ProblemDocument } from '@underbell/core/refusal';
import type { Figure, FigureResult } from '@underbell/core/report';

export interface ShownLimit {
  readonly origin: string;
  readonly name: string;
  readonly words: string;
  readonly isFixed: boolean;
}

/** What the service answers for one page. */
export interface ViewAnswer {
  readonly report: { readonly name: string; readonly title: string; readonly edition: number };
  readonly title: string;
  readonly pages: readonly { readonly name: string; readonly title: string }[];
  readonly page: { readonly name: string; readonly title: string; readonly figures: readonly Figure[] };
  readonly datasets: readonly {
    readonly dataset: string;
    readonly revision: number;
    readonly loadedAt: string;
    readonly limits: readonly ShownLimit[];
    readonly masks: readonly { readonly name: string; readonly words: string }[];
  }[];
  readonly taste: { readonly locale: string; readonly timeZone: string };
  readonly results: Readonly<Record<string, FigureResult>>;
}

export interface ViewQuestion {
  readonly page?: string;
  readonly where?: string;
  readonly choices: Readonly<Record<string, readonly string[]>>;
  readonly parameters: Readonly<Record<string, string>>;
}

/** A refusal of the service. */
export class ViewProblem extends Error {
  constructor(readonly document: ProblemDocument) {
    super(document.detail);
  }
}

const offline: ProblemDocument = {
  type: 'urn:underbell:problem:service-unreachable',
  title: 'The service cannot be reached',
  status: 503,
  detail: 'The figures cannot be fetched right now.',
  code: 'SERVICE_UNREACHABLE',
  hint: 'Check the connection, then try again.',
};

/** What opens a page beside the reader's own cookie, and the page around that gave it. */
export interface Access {
  readonly token: string;
  readonly host?: string;
}

/** Asks for one page. @throws {ViewProblem} */
export async function fetchView(
  placement: string,
  question: ViewQuestion,
  access: Access | undefined,
): Promise<ViewAnswer> {
  const search = new URLSearchParams(question.parameters);
  if (question.page !== undefined) search.set('page', question.page);
  if (question.where !== undefined) search.set('where', question.where);
  for (const [figure, values] of Object.entries(question.choices))
    for (const value of values) search.append('choose', `${figure}:${value}`);
  const headers: HeadersInit = {
    ...(access ? { Authorization: `Bearer ${access.token}` } : {}),
    ...(access?.host ? { 'Underbell-Host': access.host } : {}),
  };
  let answer: Response;
  try {
    answer = await fetch(`/api/v1/placements/${encodeURIComponent(placement)}/view?${search}`, { headers });
  } catch {
    throw new ViewProblem(offline);
  }
  const body: unknown = await answer.json();
  if (!answer.ok) throw new ViewProblem(body as ProblemDocument);
  return body as ViewAnswer;
}

/** Asks the owners for access, as the signed-in reader. @throws {ViewProblem} */
export async function askForAccess(placement: string, words: string, access: Access | undefined): Promise<void> {
  let answer: Response;
  try {
    answer = await fetch('/api/v1/requests', {
      method: 'POST',
      headers: {
        'Content-Type': 'application/json',
        ...(access ? { Authorization: `Bearer ${access.token}` } : {}),
      },
      body: JSON.stringify({ placement, words }),
    });
  } catch {
    throw new ViewProblem(offline);
  }
  if (!answer.ok) throw new ViewProblem((await answer.json()) as ProblemDocument);
}
