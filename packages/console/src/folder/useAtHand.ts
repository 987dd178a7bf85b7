import { shallowRef } from 'vue';
import { call } from '../platform/api.ts';

export interface Mark {
  readonly kind: 'report' | 'board' | 'dataset';
  readonly name: string;
  readonly title: string;
}
const atHand = shallowRef<{ favourites: Mark[]; recent: Mark[] }>();

/** What this person keeps at hand and looked at last; one copy for the whole console. */
export function useAtHand() {
  async function load(): Promise<void> {
    atHand.value = await call('GET', '/api/v1/at-hand');
  }
  async function keep(mark: Omit<Mark, 'title'>, isWanted: boolean): Promise<void> {
    await call(isWanted ? 'PUT' : 'DELETE', `/api/v1/favourites/${mark.kind}/${mark.name}`);
    await load();
  }
  /** Remembered in passing: a failure is nobody's concern. */
  function looked({ kind, name }: Omit<Mark, 'title'>): void {
    call('PUT', `/api/v1/recent/${kind}/${name}`).catch(() => undefined);
  }
  const isKept = ({ kind, name }: Omit<Mark, 'title'>) =>
    atHand.value?.favourites.some((one) => one.kind === kind && one.name === name) === true;
  return { atHand, load, keep, looked, isKept };
}

/** Where a thing is opened in the console. */
export const pathOf = ({ kind, name }: Omit<Mark, 'title'>): string =>
  ({ report: `/reports/${name}`, board: `/boards/${name}`, dataset: `/data/${name}` })[kind];
