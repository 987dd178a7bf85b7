import type { ProblemDocument } from '@underbell/core/refusal';
import type { FigureResult } from '@underbell/core/report';
import { hostHeaders } from '../host/pageAround.ts';
import { hasElement } from '../host/customElementHost.ts';
import type { ViewResponse } from '@underbell/core/view';

export type RecordFields = Readonly<Record<string, string>>;
export type RawParameters = Readonly<Record<string, readonly string[]>>;

export interface ViewState {
  readonly page?: string;
  readonly where?: string;
  readonly choices: Readonly<Record<string, readonly string[]>>;
  readonly drills: Readonly<Record<string, readonly string[]>>;
  readonly without: readonly string[];
  /** Fields of the record beside it; a host's token has its own. */
  readonly record?: RecordFields;
  readonly parameters: RawParameters;
}

/** What is looked at: a placement, a whole report or a board. */
export interface Target {
  readonly kind: 'placement' | 'report' | 'board';
  readonly name: string;
}

/** A refusal of the service. */
export class ViewProblem extends Error {
  constructor(readonly document: ProblemDocument) {
    super(document.detail);
  }
}

export const offline: ProblemDocument = {
  type: 'urn:underbell:problem:service-unreachable',
  title: 'Service not reachable',
  status: 503,
  detail: 'Data cannot be loaded now.',
  code: 'SERVICE_UNREACHABLE',
  hint: 'Check the connection, then try again.',
};

/** What opens a page beside the reader's own cookie, and the page around that gave it. */
export interface Access {
  readonly token: string;
  readonly host?: string;
}

const paired = (marks: Readonly<Record<string, readonly string[]>>): string[] =>
  Object.entries(marks).flatMap(([figure, values]) => values.map((value) => `${figure}:${value}`));

/** The first question of a page that needs no token, asked while the rest of the viewer is still on its way. */
let early: { readonly path: string; readonly token?: string; readonly answer: Promise<Response> } | undefined;

const basePath = ({ kind, name }: Target) => `/api/v1/${kind}s/${encodeURIComponent(name)}`;

function viewPath(target: Target, question: ViewState): string {
  const search = target.kind === 'board' ? new URLSearchParams() : toSearch(question);
  if (target.kind === 'board' && question.where !== undefined) search.set('where', question.where);
  return `${basePath(target)}/view?${search}`;
}

/** Asks the first question, unless its answer came with the page. The element's frame waits for its host's token instead. */
export function askEarly(target: Target, question: ViewState, access?: Access): void {
  if (window.parent !== window && !access && hasElement()) return;
  const path = viewPath(target, question);
  const headers = { ...hostHeaders(), ...(access ? { Authorization: `Bearer ${access.token}` } : {}) };
  const sent = document.getElementById('ahead');
  const isSent = sent !== null && sent.dataset['path'] === path;
  const answer = isSent ? Promise.resolve(new Response(sent.textContent)) : fetch(path, { headers });
  // Whoever takes it hears of a failure; until then nobody has to.
  answer.catch(() => undefined);
  early = { path, answer, ...(access ? { token: access.token } : {}) };
}

/** Speaks to the service about one target, with whatever the reader has to show. */
export class ViewApi {
  readonly #target: Target;
  readonly #language: () => string | undefined;
  access: Access | undefined;

  constructor(target: Target, language: () => string | undefined) {
    this.#target = target;
    this.#language = language;
  }

  get target(): Target {
    return this.#target;
  }

  get #base(): string {
    return basePath(this.#target);
  }

  #headers(more: Record<string, string> = {}): Record<string, string> {
    const language = this.#language();
    return {
      ...hostHeaders(this.access?.host),
      ...(this.access ? { Authorization: `Bearer ${this.access.token}` } : {}),
      ...(language ? { 'Accept-Language': language } : {}),
      ...more,
    };
  }

  /** @throws {ViewProblem} */
  async #ask(path: string, options: RequestInit = {}, underWay?: Promise<Response>): Promise<Response> {
    let answer: Response;
    try {
      answer = await (underWay ?? fetch(path, options));
    } catch {
      throw new ViewProblem(offline);
    }
    if (answer.ok) return answer;
    // What stands between reader and service may answer in words of its own.
    const said = (await answer.json().catch(() => null)) as Partial<ProblemDocument> | null;
    throw new ViewProblem(typeof said?.code === 'string' ? (said as ProblemDocument) : offline);
  }

  /** The answer's JSON. @throws {ViewProblem} where the line breaks before its end */
  async #read<T>(answer: Response): Promise<T> {
    try {
      return (await answer.json()) as T;
    } catch {
      throw new ViewProblem(offline);
    }
  }

  #post(path: string, body: object): Promise<Response> {
    return this.#ask(path, {
      method: 'POST',
      headers: this.#headers({ 'Content-Type': 'application/json' }),
      body: JSON.stringify(body),
    });
  }

  /** One page with all its figures. */
  async view(question: ViewState): Promise<ViewResponse> {
    const path = viewPath(this.#target, question);
    const isSame = early?.path === path && early.token === this.access?.token && this.#language() === undefined;
    const taken = isSame ? early?.answer : undefined;
    early = undefined;
    const options = { headers: this.#headers() };
    return this.#read<ViewResponse>(await this.#ask(path, options, taken));
  }

  async rows(
    question: ViewState,
    wish: { figure: string; from: number; count: number; sort?: { by: string; descending: boolean } },
  ) {
    const answer = await this.#post(`${this.#base}/rows`, { ...toBody(question), ...wish });
    return this.#read<{ rows: FigureResult['rows']; total: number; tones?: FigureResult['tones'] }>(answer);
  }

  async values(question: ViewState, parameter: string, search: string) {
    const answer = await this.#post(`${this.#base}/parameter-values`, { ...toBody(question), parameter, search });
    return this.#read<{ values: { value: string; words: string }[]; isCut: boolean }>(answer);
  }

  async words(question: ViewState, wish: { column?: string; starts?: string }) {
    const { where: _where, ...rest } = toBody(question);
    const answer = await this.#post(`${this.#base}/filter-suggestions`, { ...rest, ...wish });
    return this.#read<{ columns: { name: string; label: string; type: string }[]; values: string[] }>(answer);
  }

  async file(question: ViewState, wish: { figure?: string; format: string }): Promise<{ blob: Blob; name: string }> {
    const answer = await this.#post(`${this.#base}/export`, { ...toBody(question), ...wish });
    const name = /filename="([^"]+)"/.exec(answer.headers.get('Content-Disposition') ?? '')?.[1];
    return { blob: await answer.blob(), name: name ?? `figure.${wish.format}` };
  }

  /** The stream of changes. */
  events(question: ViewState, shown: ViewResponse, signal: AbortSignal): Promise<Response> {
    const isBoard = this.#target.kind === 'board';
    const search = isBoard ? new URLSearchParams() : toSearch({ ...question, choices: {}, drills: {} });
    // What is shown: had it changed before anybody listened, it would be told of at once.
    if (!isBoard) for (const one of shown.datasets) search.append('since', `${one.dataset}:${one.revision}`);
    if (!isBoard && shown.report) search.set('edition', String(shown.report.edition));
    return this.#ask(`${this.#base}/events?${search}`, {
      headers: this.#headers({ Accept: 'text/event-stream' }),
      signal,
    });
  }

  /** Posts what the reader sees into the channel around. @returns whether there is a picture, and why there is none */
  async post(question: ViewState, wish: { words: string; wantsPicture: boolean }) {
    const path = `/api/v1/channel-placements/${encodeURIComponent(this.#target.name)}/post?${toSearch(question)}`;
    return this.#read<{ hasPicture: boolean; why?: string }>(await this.#post(path, wish));
  }

  /** Asks the owners for access, as the signed-in reader. */
  async askForAccess(words: string): Promise<void> {
    const { kind, name } = this.#target;
    await this.#post('/api/v1/access-requests', { [kind]: name, words });
  }
}

/** The question as the words of an address. */
export function toSearch({ page, where, choices, drills, without, record, parameters }: ViewState): URLSearchParams {
  const search = new URLSearchParams();
  for (const [name, values] of Object.entries(parameters)) for (const value of values) search.append(name, value);
  if (page !== undefined) search.set('page', page);
  if (where !== undefined) search.set('where', where);
  for (const one of paired(choices)) search.append('choose', one);
  for (const one of paired(drills)) search.append('drill', one);
  for (const one of without) search.append('without', one);
  for (const one of recordWords(record)) search.append('record', one);
  return search;
}

/** A record as words of an address, each `field:value`. */
const recordWords = (record: RecordFields = {}): string[] =>
  Object.entries(record).map(([name, value]) => `${name}:${value}`);

function toBody({ page, where, choices, drills, without, record, parameters }: ViewState) {
  return {
    ...(page === undefined ? {} : { page }),
    ...(where === undefined ? {} : { where }),
    choose: paired(choices),
    drill: paired(drills),
    without,
    ...(record === undefined ? {} : { record: recordWords(record) }),
    parameters,
  };
}
