import { computed, ref, shallowRef, watch, type Ref } from 'vue';
import { textTable, type TextTable } from '@underbell/core/figure';
import type { FormatOptions } from '@underbell/core/format';
import type { FigureResult, TableFigure } from '@underbell/core/report';
import type { Viewing } from '../view/viewing.ts';

export interface TableSort {
  readonly by: string;
  readonly descending: boolean;
}
type Line = TextTable['lines'][number];

const windowSize = 200;

function compareCells(one: unknown, other: unknown): number {
  if (one === other) return 0;
  // What is missing stands last, whichever way is sorted.
  if (one === null || one === undefined) return 1;
  if (other === null || other === undefined) return -1;
  return typeof one === 'number' && typeof other === 'number' ? one - other : String(one).localeCompare(String(other));
}

/** The same answer in the reader's order; sum lines have no place in it. */
function sorted(result: FigureResult, sort: TableSort | undefined): FigureResult {
  const at = result.columns.findIndex((one) => one.name === sort?.by);
  if (!sort || at < 0) return result;
  const order = result.rows
    .map((_, i) => i)
    .sort((a, b) => {
      const [x, y] = [result.rows[a]![at], result.rows[b]![at]];
      const isMissing = x === null || y === null;
      return compareCells(x, y) * (sort.descending && !isMissing ? -1 : 1) || a - b;
    });
  const tones = result.tones?.map((one) => ({ ...one, row: order.indexOf(one.row) }));
  const sums = result.sums?.filter((one) => one.by.length === 0);
  return { ...result, rows: order.map((i) => result.rows[i]!), ...(tones ? { tones } : {}), ...(sums ? { sums } : {}) };
}

/**
 * The lines of a table, however many: those of a short one are all here, windows of a long one come from the service as
 * they are scrolled to. Answers that come too late are dropped.
 */
export function useTableRows(
  props: { readonly figure: TableFigure; readonly result: FigureResult; readonly taste: FormatOptions },
  viewing: Viewing | undefined,
  sort: Ref<TableSort | undefined>,
) {
  const isLong = computed(
    () => props.result.isCut === true && viewing !== undefined && props.figure.limit === undefined,
  );
  const table = computed(() =>
    textTable(props.figure, isLong.value ? props.result : sorted(props.result, sort.value), props.taste),
  );
  const windows = shallowRef(new Map<number, readonly Line[]>());
  const asked = new Set<number>();
  const total = ref(0);
  let turn = 0;

  async function fetchWindow(index: number): Promise<void> {
    if (asked.has(index) || !viewing) return;
    asked.add(index);
    const mine = turn;
    const wish = {
      figure: props.figure.name,
      from: index * windowSize,
      count: windowSize,
      ...(sort.value ? { sort: sort.value } : {}),
    };
    try {
      const found = await viewing.api.rows(viewing.question.value, wish);
      if (mine !== turn) return;
      total.value = found.total;
      const { lines } = textTable(
        props.figure,
        { columns: props.result.columns, rows: found.rows, ...(found.tones ? { tones: found.tones } : {}) },
        props.taste,
      );
      windows.value = new Map(windows.value).set(index, lines);
    } catch {
      // It is asked for again when it is scrolled to again.
      asked.delete(index);
    }
  }

  watch(
    () => [props.result, sort.value],
    () => {
      turn++;
      asked.clear();
      windows.value = new Map();
      total.value = isLong.value ? Math.max(total.value, props.result.rows.length) : 0;
      if (isLong.value) void fetchWindow(0);
    },
    { immediate: true },
  );

  const count = computed(() => (isLong.value ? total.value : table.value.lines.length));
  const lineAt = (index: number): Line | undefined =>
    isLong.value ? windows.value.get(Math.floor(index / windowSize))?.[index % windowSize] : table.value.lines[index];
  /** Makes sure that these lines are here, or on their way. */
  function show(from: number, to: number): void {
    if (!isLong.value) return;
    for (let index = Math.floor(from / windowSize); index <= Math.floor(Math.max(from, to - 1) / windowSize); index++)
      void fetchWindow(index);
  }
  return { table, count, lineAt, show, isLong };
}
