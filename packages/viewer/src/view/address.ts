import type { ViewQuestion } from './viewApi.ts';

type Marks = Record<string, string[]>;

/** What the address asks for; every word but these is a parameter, which the service checks. */
export function readAddress(): { question: ViewQuestion; isBare: boolean } {
  const search = new URLSearchParams(window.location.search);
  const marks = (name: string): Marks => {
    const found: Marks = {};
    for (const text of search.getAll(name)) {
      const at = text.indexOf(':');
      if (at > 0) (found[text.slice(0, at)] ??= []).push(text.slice(at + 1));
    }
    return found;
  };
  const known = ['page', 'where', 'bare', 'choose', 'drill', 'without'];
  // Chats add words of their own to a tab's address.
  const isTab = window.location.pathname.startsWith('/t/');
  const names = isTab ? [] : [...new Set(search.keys())].filter((name) => !known.includes(name));
  const question = {
    page: search.get('page') ?? undefined,
    where: search.get('where') ?? undefined,
    choices: marks('choose'),
    drills: marks('drill'),
    without: search.getAll('without'),
    parameters: Object.fromEntries(names.map((name) => [name, search.getAll(name)])),
  };
  return { question, isBare: search.has('bare') };
}
