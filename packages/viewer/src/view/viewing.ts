import type { InjectionKey } from 'vue';
import { inject } from 'vue';
import type { useView } from './useView.ts';

/** What the figures of a page share: what is asked, and what can be done. */
export type Viewing = Omit<ReturnType<typeof useView>, 'problem' | 'isLoading' | 'signedIn' | 'ask'>;
export const viewingKey: InjectionKey<Viewing> = Symbol('viewing');

/** The viewing around a component; undefined in a preview, which nobody can act on. */
export const useViewing = (): Viewing | undefined => inject(viewingKey, undefined);
