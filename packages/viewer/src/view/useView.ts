import { computed, onBeforeUnmount, onMounted, ref, shallowRef } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import type { Host, TokenState } from '../host/host.ts';
import { hostLanguage, setBoardTheme, setPlacementTheme } from '../theme/useTheme.ts';
import { FrameKey } from '../session/frameKey.ts';
import { readAddress } from './address.ts';
import { LiveChanges } from './liveChanges.ts';
import type { ViewResponse } from '@underbell/core/view';
import {
  offline,
  toSearch,
  ViewApi,
  ViewProblem,
  type Access,
  type RecordFields,
  type Target,
  type ViewState,
} from './viewApi.ts';

/** What hosts' servers pass on as the service said it, for readers. */
const passedOn: Readonly<Record<string, Omit<ProblemDocument, 'detail' | 'code'>>> = {
  RECORD_INCOMPLETE: {
    type: 'urn:underbell:problem:record-incomplete',
    title: 'Record incomplete',
    status: 409,
    hint: 'Save the record to see data.',
  },
  APP_DISABLED: {
    type: 'urn:underbell:problem:app-off',
    title: 'App disabled',
    status: 403,
    hint: 'Ask an administrator.',
  },
};
function failedProblem(said: string, code = ''): ProblemDocument {
  const known = passedOn[code];
  return known ? { ...known, code, detail: said } : tokenProblem(said);
}
/** A token that opens nothing any more: another one may. */
const isPast = (code: string) => ['TOKEN_EXPIRED', 'TOKEN_REVOKED', 'TOKEN_SCOPE_EXCEEDED'].includes(code);

/** What is over after a while, without anybody doing anything. */
const isPassing = ({ code, status }: ProblemDocument) => code === offline.code || status === 429 || status >= 500;

const tokenProblem = (hint: string): ProblemDocument => ({
  type: 'urn:underbell:problem:token-invalid',
  title: 'No access',
  status: 401,
  code: 'TOKEN_INVALID',
  detail: 'The host page could not get access.',
  hint,
});

/** One page of a placement, report or board: fetches it, follows what the reader picks, ignores answers that come too late. */
export function useView(target: Target, channel: Host, access?: Access) {
  const api = new ViewApi(target, hostLanguage);
  api.access = access;
  const address = readAddress();
  const question = shallowRef<ViewState>({
    ...address.question,
    ...(channel.record === undefined ? {} : { record: channel.record }),
  });
  const answer = shallowRef<ViewResponse>();
  const problem = shallowRef<ProblemDocument>();
  const isLoading = ref(true);
  /** What is shown was fetched before the connection was lost. */
  const isOffline = ref(false);
  let newest = 0;
  let context = '';
  /** Of a reader who signed in here, or in another frame of the page around. */
  const frameKey = new FrameKey((key) => {
    if (problem.value?.code === 'SIGN_IN_NEEDED') useKey(key);
  });
  function useKey(key: string): void {
    api.access = { token: key };
    void reload();
  }
  /** The problem that the host was told last. */
  let told = '';
  let isRenewing = false;
  let hasTriedSilently = false;

  async function reload(): Promise<void> {
    const turn = ++newest;
    isLoading.value = true;
    try {
      const found = await api.view(question.value);
      if (turn !== newest) return;
      answer.value = found;
      if (problem.value) {
        problem.value = undefined;
        live.listen();
      }
      isOffline.value = false;
      isRenewing = false;
      setBoardTheme(found.theme);
      setPlacementTheme(found.look?.theme);
      told = '';
      channel.tell({ underBell: 'ready', page: found.page.name });
    } catch (error) {
      if (turn !== newest) return;
      if (!(error instanceof ViewProblem)) throw error;
      isOffline.value = error.document.code === 'SERVICE_UNREACHABLE' && answer.value !== undefined;
      // What was there stays while nothing newer can be fetched.
      if (isOffline.value) return;
      if (error.document.code === 'SIGN_IN_NEEDED' && isSignedInElsewhere()) return;
      if (error.document.code === 'SIGN_IN_NEEDED' && (await isSignedInSilently())) return;
      if (isPast(error.document.code) && api.access && channel.renew && !isRenewing) {
        isRenewing = true;
        channel.renew();
        return;
      }
      problem.value = error.document;
      const { code, detail } = error.document;
      // What is wrong with what the reader's own rights let be seen is between the reader and the service.
      const message = isHosts() ? detail : error.document.title;
      // Asked again, it is the same problem still: the host has heard of it.
      if (told !== `${code} ${message}`) channel.tell({ underBell: 'problem', code, message });
      told = `${code} ${message}`;
    } finally {
      if (turn === newest) isLoading.value = false;
    }
  }

  /** Whether the directory knows the browser: asked once, within a host's page, where nobody should sign in a second time. */
  async function isSignedInSilently(): Promise<boolean> {
    if (!channel.isFramed || hasTriedSilently || channel.chat !== undefined) return false;
    hasTriedSilently = true;
    const { signInSilently } = await import('../session/silentSignIn.ts');
    if (!(await signInSilently())) return false;
    void reload();
    return true;
  }

  /** Whether a key of this tab opens it after all; else the other frames of the page are asked for theirs. */
  function isSignedInElsewhere(): boolean {
    const tried = isHosts() ? undefined : api.access?.token;
    if (tried !== undefined) {
      frameKey.drop(tried);
      api.access = undefined;
    }
    const { known } = frameKey;
    if (known === undefined || known === tried) {
      frameKey.want();
      return false;
    }
    useKey(known);
    return true;
  }

  /** Asks anew, and writes the question into the address where it is the reader's own page. */
  function change(next: Partial<ViewState>): void {
    question.value = { ...question.value, ...next };
    if (!channel.isFramed)
      window.history.replaceState(null, '', `${window.location.pathname}${addressOf(question.value, address.isBare)}`);
    void reload();
  }

  /** Whether it is the host's own token that opened the page. */
  const isHosts = () => api.access?.host !== undefined;

  function onToken(state: TokenState): void {
    if ('failure' in state) {
      problem.value = failedProblem(state.failure, state.code);
      channel.tell({ underBell: 'problem', code: problem.value.code, message: problem.value.detail });
      isLoading.value = false;
      return;
    }
    const isRenewal = api.access !== undefined && !isRenewing;
    api.access = 'token' in state ? state : undefined;
    // A renewed token shows the same; nothing flickers.
    if (!isRenewal || problem.value || contextOf(api.access) !== context) void reload();
    context = contextOf(api.access);
  }

  /** Picks a mark of a figure, or lets it go; several at once with `isAdding`. */
  function pick(figure: string, value: string, isAdding: boolean): void {
    const choices = question.value.choices;
    const held = choices[figure] ?? [];
    const rest = held.filter((one) => one !== value);
    const next = held.includes(value) && (isAdding || held.length === 1) ? rest : isAdding ? [...held, value] : [value];
    const { [figure]: _, ...others } = choices;
    change({ choices: next.length > 0 ? { ...others, [figure]: next } : others });
    // The host hears what its own token shows; what the reader's own rights show is not the host's.
    channel.tell({ underBell: 'selection', figure, ...(isHosts() ? { values: next } : {}) });
  }

  function clear(figure?: string): void {
    const { [figure ?? '']: _, ...others } = question.value.choices;
    change(figure === undefined ? { choices: {}, where: undefined } : { choices: others });
  }

  /** Opens a mark of a figure; fewer values go back. */
  function drill(figure: string, values: readonly string[]): void {
    const { [figure]: _, ...others } = question.value.drills;
    // What was picked on the level before has no meaning on the next.
    const { [figure]: _picked, ...choices } = question.value.choices;
    change({ drills: values.length > 0 ? { ...others, [figure]: values } : others, choices });
  }

  /** Sets a parameter; nothing takes it off, also where the report has a default. */
  function setParameter(name: string, values: readonly string[]): void {
    const { [name]: _, ...others } = question.value.parameters;
    const without = question.value.without.filter((one) => one !== name);
    if (values.length > 0) return change({ parameters: { ...others, [name]: values }, without });
    change({ parameters: others, without: [...without, name] });
  }

  const setWhere = (where: string | undefined) => change({ where });

  /** Turns to another page; a link takes the reader's own filters along. */
  function turnTo(page: string, isCarrying = false): void {
    // By a public link nobody filters with words of their own.
    const own = isCarrying && !access ? answer.value?.own : question.value.where;
    change({ page, choices: {}, drills: {}, where: own });
  }

  /** Goes on with a key that the sign-in window handed over. */
  function signedIn(key: string | undefined): void {
    if (key === undefined) return void reload();
    frameKey.take(key);
    useKey(key);
  }

  /** What is shown, as others may be shown it: what the reader picked stands in the filter. */
  const shared = computed((): ViewState => {
    const { choices: _, drills: _drills, ...rest } = question.value;
    const own = answer.value?.own;
    const record = rest.record ?? recordOf(api.access);
    return {
      ...rest,
      choices: {},
      drills: {},
      where: own ?? rest.where,
      page: answer.value?.page.name ?? rest.page,
      ...(record === undefined ? {} : { record }),
    };
  });
  /** An address that shows the same to whoever may see it. */
  const link = computed(() => {
    if (access) return `${window.location.origin}${window.location.pathname}${addressOf(question.value, false)}`;
    const path = { placement: 'v', report: 'r', board: 'b' }[target.kind];
    return `${window.location.origin}/${path}/${target.name}${addressOf(shared.value, false)}`;
  });

  const live = new LiveChanges(
    api,
    () => ({
      question: question.value,
      answer: answer.value,
      isRefused: problem.value !== undefined && !isPassing(problem.value),
    }),
    () => void reload(),
  );
  const wentOffline = () => (isOffline.value = answer.value !== undefined);
  onMounted(() => {
    // A public link needs no token of a host.
    if (access) void reload();
    else channel.ask(onToken);
    channel.listen(
      ({ page, where, parameters }) =>
        change({ page: page ?? question.value.page, where, parameters, choices: {}, drills: {} }),
      // Page, and what the reader picked, stay.
      (record) => change({ record }),
    );
    live.start();
    window.addEventListener('online', reload);
    window.addEventListener('offline', wentOffline);
  });
  onBeforeUnmount(() => {
    live.stop();
    frameKey.close();
    window.removeEventListener('online', reload);
    window.removeEventListener('offline', wentOffline);
  });
  return {
    api,
    question,
    answer,
    problem,
    isLoading,
    isOffline,
    isBare: address.isBare,
    shared,
    link,
    pick,
    clear,
    drill,
    setParameter,
    setWhere,
    turnTo,
    reload,
    signedIn,
    ask: (words: string) => api.askForAccess(words),
  };
}

/** What a token limits its page to, as far as the token itself says: another is another record. */
const contextOf = (access: Access | undefined): string => JSON.stringify(detailsOf(access)) ?? access?.token ?? '';

function detailsOf(access: Access | undefined): readonly { readonly context?: RecordFields }[] | undefined {
  const [, claims] = access?.token.split('.') ?? [];
  if (claims === undefined) return undefined;
  try {
    const bytes = Uint8Array.from(atob(claims.replace(/-/g, '+').replace(/_/g, '/')), (one) => one.charCodeAt(0));
    return (JSON.parse(new TextDecoder().decode(bytes)) as { authorization_details?: [] }).authorization_details;
  } catch {
    return undefined;
  }
}

/** The record that a host's token is for: it goes along with what is opened in full. */
const recordOf = (access: Access | undefined): RecordFields | undefined => detailsOf(access)?.[0]?.context;

function addressOf(question: ViewState, isBare: boolean): string {
  const search = toSearch(question);
  if (isBare) search.set('bare', '');
  const text = search.toString().replace(/bare=(&|$)/, 'bare$1');
  return text === '' ? '' : `?${text}`;
}
