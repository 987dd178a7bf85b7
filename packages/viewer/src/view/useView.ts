import { onMounted, ref, shallowRef, type Ref } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import type { HostChannel, TokenState } from '../host/hostChannel.ts';
import { askForAccess, fetchView, ViewProblem, type Access, type ViewAnswer, type ViewQuestion } from './viewApi.ts';

/** What the address asks for; every word but these is a parameter, which the service checks. */
function readAddress(): { question: ViewQuestion; isBare: boolean } {
  const parameters = Object.fromEntries(new URLSearchParams(window.location.search));
  const { page, where, bare, ...rest } = parameters;
  return { question: { page, where, choices: {}, parameters: rest }, isBare: bare !== undefined };
}

/** One page of a placement: fetches it, follows what the reader picks, ignores answers that come too late. */
export function useView(placement: string, channel: HostChannel) {
  const address = readAddress();
  const answer = shallowRef<ViewAnswer>();
  const problem = shallowRef<ProblemDocument>();
  const isLoading = ref(true);
  const choices: Ref<Record<string, string[]>> = ref({});
  const page = ref(address.question.page);
  let access: Access | undefined;
  let newest = 0;

  async function reload(): Promise<void> {
    const turn = ++newest;
    isLoading.value = true;
    try {
      const found = await fetchView(
        placement,
        { ...address.question, page: page.value, choices: choices.value },
        access,
      );
      if (turn !== newest) return;
      answer.value = found;
      problem.value = undefined;
    } catch (error) {
      if (turn !== newest) return;
      if (!(error instanceof ViewProblem)) throw error;
      problem.value = error.document;
    } finally {
      if (turn === newest) isLoading.value = false;
    }
  }

  function onToken(state: TokenState): void {
    if ('failure' in state) {
      problem.value = {
        type: 'urn:underbell:problem:token-invalid',
        title: 'No access',
        status: 401,
        code: 'TOKEN_INVALID',
        detail: 'The page around this report could not get access to it.',
        hint: state.failure,
      };
      isLoading.value = false;
      return;
    }
    const isRenewal = access !== undefined;
    access = 'token' in state ? state : undefined;
    // A renewed token shows the same; nothing flickers.
    if (!isRenewal || problem.value) void reload();
  }

  /** Picks a mark of a figure, or lets it go; several at once with `isAdding`. */
  function pick(figure: string, value: string, isAdding: boolean): void {
    const held = choices.value[figure] ?? [];
    const rest = held.filter((one) => one !== value);
    const next = held.includes(value) && (isAdding || held.length === 1) ? rest : isAdding ? [...held, value] : [value];
    const { [figure]: _, ...others } = choices.value;
    choices.value = next.length > 0 ? { ...others, [figure]: next } : others;
    void reload();
  }

  function clear(figure?: string): void {
    const { [figure ?? '']: _, ...others } = choices.value;
    choices.value = figure === undefined ? {} : others;
    void reload();
  }

  function turnTo(name: string): void {
    page.value = name;
    choices.value = {};
    void reload();
  }

  /** Goes on with a key that the sign-in window handed over. */
  function signedIn(key: string | undefined): void {
    if (key !== undefined) access = { token: key };
    void reload();
  }

  const ask = (words: string) => askForAccess(placement, words, access);

  onMounted(() => channel.ask(onToken));
  return { answer, problem, isLoading, isBare: address.isBare, choices, pick, clear, turnTo, reload, signedIn, ask };
}
