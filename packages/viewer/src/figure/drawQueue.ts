import { computed, ref } from 'vue';

/** What a chart would draw, with where it stands. */
interface Drawing {
  readonly element: HTMLElement;
  readonly draw: () => void;
}

/** Those that can be seen, and those that wait until the page has time. */
const seen = new Map<object, Drawing>();
const unseen = new Map<object, Drawing>();
const left = ref(0);
let isRunning = false;
let isIdling = false;

/** Whether a chart that can be seen is still to be drawn. */
export const isDrawing = computed(() => left.value > 0);

/** Of a frame: whether it is in view itself; a page with many frames draws those first that somebody sees. */
let isFrameSeen = true;

function isSeen({ element }: Drawing): boolean {
  if (!isFrameSeen) return false;
  const { top, bottom } = element.getBoundingClientRect();
  return bottom > 0 && top < window.innerHeight;
}

function drawFirst(of: Map<object, Drawing>): void {
  const [first] = of;
  if (first === undefined) return;
  of.delete(first[0]);
  first[1].draw();
}

function drawSeen(): void {
  drawFirst(seen);
  left.value = seen.size;
  isRunning = seen.size > 0;
  if (isRunning) setTimeout(drawSeen);
}

function drawUnseen(): void {
  drawFirst(unseen);
  isIdling = unseen.size > 0;
  if (isIdling) whenIdle();
}

const whenIdle = () =>
  'requestIdleCallback' in window
    ? window.requestIdleCallback(drawUnseen, { timeout: 2000 })
    : setTimeout(drawUnseen, 50);

/**
 * Draws in a turn of its own, what can be seen before the rest, so that the page can be read and clicked in between.
 * Asked again before its turn, an owner is drawn once.
 */
export function drawSoon(owner: object, drawing: Drawing): void {
  forget(owner);
  if (!isSeen(drawing)) {
    unseen.set(owner, drawing);
    if (!isIdling) whenIdle();
    isIdling = true;
    return;
  }
  seen.set(owner, drawing);
  left.value = seen.size;
  if (!isRunning) setTimeout(drawSeen);
  isRunning = true;
}

export function forget(owner: object): void {
  seen.delete(owner);
  unseen.delete(owner);
}

/** What waited until its frame came into view has its turn. */
function promote(): void {
  for (const [owner, drawing] of [...unseen]) if (isSeen(drawing)) drawSoon(owner, drawing);
}

if (window.parent !== window && 'IntersectionObserver' in window)
  new IntersectionObserver(([entry]) => {
    isFrameSeen = entry?.isIntersecting ?? true;
    if (isFrameSeen) promote();
  }).observe(document.documentElement);

/** Paper shows everything at once. */
window.addEventListener('beforeprint', () => {
  while (seen.size > 0) drawFirst(seen);
  while (unseen.size > 0) drawFirst(unseen);
});
