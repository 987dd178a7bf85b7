/** Something that does not fit, and what could be done about it. */
export interface Misfit {
  readonly what: string;
  readonly mend?: string;
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

/** Looks at a drawn page in its frame, as large as that is: what is too small, cut off, laid over another, or scrolls. */
export function misfitsIn(page: Document): Misfit[] {
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
  const root = page.documentElement;
  const words = (list: readonly Element[]) => named(list.map((one) => one.textContent ?? ''));
  return [
    ...(root.scrollWidth > root.clientWidth + 1
      ? [
          {
            what: `it is ${root.scrollWidth} pixels wide in a frame of ${root.clientWidth}`,
            mend: 'a wider frame, or one figure',
          },
        ]
      : []),
    ...(root.scrollHeight > root.clientHeight + 1
      ? [
          {
            what: `it scrolls: ${root.scrollHeight} pixels high in a frame of ${root.clientHeight}`,
            mend: 'let the frame grow with it, show one page or one figure, or leave the bar out',
          },
        ]
      : []),
    ...(small.length > 0
      ? [{ what: `letters under ${leastPixels} pixels: ${words(small)}`, mend: 'a wider frame, or one figure' }]
      : []),
    ...(cut.length > 0 ? [{ what: `cut off: ${words(cut)}`, mend: 'a wider frame, or shorter titles' }] : []),
    ...(overlapping.length > 0
      ? [{ what: `laid over each other: ${named(overlapping)}`, mend: 'a wider frame, or fewer labels' }]
      : []),
  ];
}
