import { onBeforeUnmount, shallowRef } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import { hostHeaders } from '../host/pageAround.ts';
import { offline, ViewProblem } from '../view/viewApi.ts';
import { FrameKey } from './frameKey.ts';
import { signInSilently } from './silentSignIn.ts';

/** What a page of this service asks as whoever looks, within a host or not: signed in already, silently, or in a small window. */
export function useService(load: () => Promise<void>) {
  const isFramed = window.parent !== window;
  const problem = shallowRef<ProblemDocument>();
  let key: string | undefined;
  let hasTriedSilently = false;
  const frameKey = new FrameKey((other) => {
    if (problem.value?.code === 'SIGN_IN_NEEDED') use(other);
  });
  onBeforeUnmount(() => frameKey.close());

  /** Asks as whoever looks; nothing where the service cannot be reached. */
  function send(path: string, method = 'GET', body?: object): Promise<Response | undefined> {
    const headers: Record<string, string> = {
      ...hostHeaders(),
      ...(key === undefined ? {} : { Authorization: `Bearer ${key}` }),
      ...(body === undefined ? {} : { 'Content-Type': 'application/json' }),
    };
    const options = { method, headers, ...(body === undefined ? {} : { body: JSON.stringify(body) }) };
    return fetch(path, options).catch(() => undefined);
  }

  /** @throws {ViewProblem} */
  async function ask<T>(path: string, method = 'GET', body?: object): Promise<T> {
    const answer = await send(path, method, body);
    const said = answer?.status === 204 ? undefined : ((await answer?.json().catch(() => undefined)) as unknown);
    if (answer?.ok) return said as T;
    const refused = said as Partial<ProblemDocument> | undefined;
    throw new ViewProblem(typeof refused?.code === 'string' ? (refused as ProblemDocument) : offline);
  }

  /** Whether somebody is known after all: by a key of another frame, or to the directory. */
  async function isKnownElsewhere(): Promise<boolean> {
    const tried = key;
    if (tried !== undefined) frameKey.drop(tried);
    key = undefined;
    if (frameKey.known !== undefined && frameKey.known !== tried) {
      use(frameKey.known);
      return true;
    }
    frameKey.want();
    if (!isFramed || hasTriedSilently) return false;
    hasTriedSilently = true;
    if (!(await signInSilently())) return false;
    void run();
    return true;
  }

  async function run(): Promise<void> {
    try {
      await load();
      problem.value = undefined;
    } catch (error) {
      if (!(error instanceof ViewProblem)) throw error;
      if (error.document.code === 'SIGN_IN_NEEDED' && (await isKnownElsewhere())) return;
      problem.value = error.document;
    }
  }
  function use(other: string): void {
    key = other;
    void run();
  }
  function signedIn(other: string | undefined): void {
    if (other === undefined) return void run();
    frameKey.take(other);
    use(other);
  }
  return { problem, isFramed, ask, send, run, signedIn, keyNow: () => key };
}
