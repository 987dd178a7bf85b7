import type { ViewState } from './viewApi.ts';

type Marks = Record<string, string[]>;

/** What the address asks for; every word but these is a parameter, which the service checks. */
export function readAddress(): { question: ViewState; isBare: boolean } {
  const search = new URLSearchParams(window.location.search);
  const marks = (name: string): Marks => {
    const found: Marks = {};
    for (const text of search.getAll(name)) {
      const at = text.indexOf(':');
      if (at > 0) (found[text.slice(0, at)] ??= []).push(text.slice(at + 1));
    }
    return found;
  };
  const known = ['page', 'where', 'bare', 'choose', 'drill', 'without', 'record'];
  // Chats add words of their own to a tab's address; what an app has of its own takes no parameters.
  const isOthers = /^\/[ta]\//.test(window.location.pathname);
  const names = isOthers ? [] : [...new Set(search.keys())].filter((name) => !known.includes(name));
  const question = {
    page: search.get('page') ?? undefined,
    where: search.get('where') ?? undefined,
    choices: marks('choose'),
    drills: marks('drill'),
    without: search.getAll('without'),
    ...(search.has('record') ? { record: readRecord(search.getAll('record')) } : {}),
    parameters: Object.fromEntries(names.map((name) => [name, search.getAll(name)])),
  };
  return { question, isBare: search.has('bare') };
}

/** Each `field:value`; what is none, the service is told as it stands and refuses. */
function readRecord(words: readonly string[]): Record<string, string> {
  return Object.fromEntries(
    words.map((one) => {
      const at = one.indexOf(':');
      return at < 0 ? [one, ''] : [one.slice(0, at), one.slice(at + 1)];
    }),
  );
}
