import type { AtHand, FoldedThing } from '@underbell/core/folder';
import { shallowRef } from 'vue';
import { call } from '../platform/api.ts';

const atHand = shallowRef<AtHand>();

/** What this person keeps at hand and looked at last; one copy for the whole console. */
export function useFavourites() {
  async function load(): Promise<void> {
    atHand.value = await call('GET', '/api/v1/favourites');
  }
  async function keep(mark: Omit<FoldedThing, 'title'>, isWanted: boolean): Promise<void> {
    await call(isWanted ? 'PUT' : 'DELETE', `/api/v1/favourites/${mark.kind}/${mark.name}`);
    await load();
  }
  /** Remembered in passing: a failure is nobody's concern. */
  function looked({ kind, name }: Omit<FoldedThing, 'title'>): void {
    call('PUT', `/api/v1/recent/${kind}/${name}`).catch(() => undefined);
  }
  const isKept = ({ kind, name }: Omit<FoldedThing, 'title'>) =>
    atHand.value?.favourites.some((one) => one.kind === kind && one.name === name) === true;
  return { atHand, load, keep, looked, isKept };
}

/** Where a thing is opened in the console. */
export const pathOf = ({ kind, name }: Omit<FoldedThing, 'title'>): string =>
  ({ report: `/reports/${name}`, board: `/boards/${name}`, dataset: `/data/${name}` })[kind];
