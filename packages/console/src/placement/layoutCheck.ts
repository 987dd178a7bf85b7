import { chartParts, type ChartPart } from '@underbell/core/report';
import type { PlacementLook } from '@underbell/core/placement';
import type { ViewResponse } from '@underbell/core/view';

/** What can be done about something that does not fit: in words, and what it makes of the look. */
export interface LayoutFix {
  readonly words: string;
  readonly apply: (look: PlacementLook) => PlacementLook;
}

/** Something that does not fit, and what could be done about it. */
export interface Misfit {
  readonly what: string;
  readonly mends: readonly LayoutFix[];
  /** What only its maker can do. */
  readonly advice?: string;
}

/** Smaller letters are not read. */
const leastPixels = 11;
const mostNamed = 3;

const named = (texts: readonly string[]) => {
  const all = [...new Set(texts.map((one) => one.trim().replace(/\s+/g, ' ').slice(0, 40)))];
  const rest = all.length - mostNamed;
  return `${all
    .slice(0, mostNamed)
    .map((one) => `“${one}”`)
    .join(', ')}${rest > 0 ? ` and ${rest} more` : ''}`;
};

const ownText = (element: Element) =>
  [...element.childNodes].some((node) => node.nodeType === Node.TEXT_NODE && node.textContent!.trim() !== '');

function overlapsIn(svg: Element): string[] {
  const boxes = [...svg.querySelectorAll('text')]
    .map((text) => ({ text: text.textContent ?? '', box: text.getBoundingClientRect() }))
    .filter(({ box }) => box.width > 1 && box.height > 1);
  return boxes.flatMap(({ text, box: a }, i) =>
    boxes
      .slice(i + 1)
      .some(
        ({ box: b }) =>
          Math.min(a.right, b.right) - Math.max(a.left, b.left) > 2 &&
          Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 2,
      )
      ? [text]
      : [],
  );
}

/** Names of bars that are not drawn beside them: dropped, or cut off. */
export function droppedNames(texts: ReadonlySet<string>, names: readonly string[]): string[] {
  return names.filter((name) => name !== '' && !texts.has(name));
}

function droppedIn(page: Document, { page: { figures }, results }: ViewResponse): string[] {
  return figures.flatMap((figure) => {
    const result = results[figure.name];
    if (figure.kind !== 'bar' || !result || result.columns[0]?.type !== 'text' || figure.each !== undefined) return [];
    const section = page.querySelector(`section[aria-label=${JSON.stringify(figure.title)}]`);
    const texts = [...(section?.querySelectorAll('svg text') ?? [])].map((one) => one.textContent ?? '');
    if (texts.length === 0) return [];
    return droppedNames(new Set(texts), [...new Set(result.rows.map((row) => String(row[0] ?? '')))]);
  });
}

const hide = (part: ChartPart, words: string): LayoutFix => ({
  words,
  apply: (look) => ({ ...look, hide: chartParts.filter((one) => one === part || look.hide?.includes(one)) }),
});
const stack: LayoutFix = { words: 'single column', apply: (look) => ({ ...look, isStacked: true }) };
const noBar: LayoutFix = {
  words: 'without the toolbar',
  apply: (look) => ({ ...look, hideBar: true }),
};
const noLabels = hide('labels', 'without data labels');
const noAxisTitles = hide('axis titles', 'without axis titles');
const noLegend = hide('legend', 'without legends');

/** Those that would change something; arranging is for places of a single page. */
export function mendsFor(mends: readonly LayoutFix[], look: PlacementLook, isPage: boolean): LayoutFix[] {
  return mends.filter((one) => (one !== stack || isPage) && JSON.stringify(one.apply(look)) !== JSON.stringify(look));
}

/** Looks at a drawn page in its frame, as large as that is: what is too small, cut off, dropped, laid over another, or scrolls. */
export function misfitsIn(page: Document, answer: ViewResponse | undefined): Misfit[] {
  const view = page.defaultView!;
  const shown = [...page.body.querySelectorAll('*')].filter((one) => {
    const { width, height } = one.getBoundingClientRect();
    return width > 1 && height > 1 && !one.closest('.unseen');
  });
  const texts = shown.filter(ownText);
  const small = texts.filter((one) => Number.parseFloat(view.getComputedStyle(one).fontSize) < leastPixels);
  const cut = texts.filter((one) => {
    const { overflowX, textOverflow } = view.getComputedStyle(one);
    return (overflowX === 'hidden' || textOverflow === 'ellipsis') && one.scrollWidth > one.clientWidth + 1;
  });
  const overlapping = [...page.querySelectorAll('svg')].flatMap(overlapsIn);
  const dropped = answer ? droppedIn(page, answer) : [];
  const root = page.documentElement;
  const words = (list: readonly Element[]) => named(list.map((one) => one.textContent ?? ''));
  const found: readonly (Misfit | undefined)[] = [
    root.scrollWidth > root.clientWidth + 1
      ? {
          what: `it is ${root.scrollWidth} pixels wide in a frame of ${root.clientWidth}`,
          mends: [stack],
          advice: 'a wider frame, or one figure',
        }
      : undefined,
    root.scrollHeight > root.clientHeight + 1
      ? {
          what: `it scrolls: ${root.scrollHeight} pixels high in a frame of ${root.clientHeight}`,
          mends: [noBar, noLegend],
          advice: 'let the frame grow with it, or show fewer figures',
        }
      : undefined,
    small.length > 0
      ? {
          what: `letters under ${leastPixels} pixels: ${words(small)}`,
          mends: [stack],
          advice: 'a wider frame, or one figure',
        }
      : undefined,
    cut.length > 0
      ? { what: `cut off: ${words(cut)}`, mends: [stack], advice: 'a wider frame, or shorter titles' }
      : undefined,
    dropped.length > 0
      ? {
          what: `names without room in their chart: ${named(dropped)}`,
          mends: [stack, noLabels, noLegend],
          advice: 'a larger frame, or a limit in the figure',
        }
      : undefined,
    overlapping.length > 0
      ? {
          what: `laid over each other: ${named(overlapping)}`,
          mends: [noLabels, noAxisTitles, stack],
          advice: 'a wider frame',
        }
      : undefined,
  ];
  return found.filter((one) => one !== undefined);
}
