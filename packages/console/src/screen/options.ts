import { computed } from 'vue';
import type { ListedBoard, OfferedReport } from '@underbell/core/board';
import type { ListedMedia } from '@underbell/core/media';
import { useResource } from '../platform/useResource.ts';

/** Everything that slots can show. */
export interface SlotChoices {
  readonly reports: readonly OfferedReport[];
  readonly boards: readonly ListedBoard[];
  readonly media: readonly ListedMedia[];
}

/** What somebody may put onto screens. */
export function useSlotChoices() {
  const reports = useResource<{ reports: OfferedReport[] }>('/api/v1/available-figures');
  const boards = useResource<{ boards: ListedBoard[] }>('/api/v1/boards');
  const media = useResource<{ media: ListedMedia[] }>('/api/v1/media');
  return computed((): SlotChoices => ({
    reports: reports.data.value?.reports ?? [],
    boards: boards.data.value?.boards ?? [],
    media: media.data.value?.media ?? [],
  }));
}
