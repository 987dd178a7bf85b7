import { ageOf, nextEdge, slotAt, type ScreenProgram, type SlotHandle, type Turn } from '@underbell/core/screen';
import { element } from '../rendering/figure.ts';
import { drawMedia } from '../rendering/media.ts';
import { drawPage, drawWords, type Drawn } from '../rendering/page.ts';
import { Refused } from '../device/service.ts';
import type { Source } from './source.ts';

/** What went wrong with a slot; told with the next beat. */
export interface Problem {
  readonly what: string;
  readonly detail: string;
}

interface Ready {
  readonly id: string;
  readonly drawn: Drawn;
}

/** What is being drawn; whoever waited for it may have gone on. */
interface Drawing {
  readonly drawn: Promise<Drawn>;
  /** How often what was made ready had been dropped when it began. */
  readonly since: number;
  isAwaited: boolean;
}

/** A slot that failed is tried again after so long. */
const againMs = 60_000;
const soonMs = 1_000;
/** Made ready so long before its turn, if its turn is that long away. */
const aheadMs = 4_000;
/** Nobody waits longer for a slot. */
const patienceMs = 8_000;

function drop({ node, onGone }: Drawn): void {
  node.remove();
  onGone?.();
}

/** Shows slot after slot; between two of them nothing is ever empty. */
export class Player {
  readonly problems: Problem[] = [];
  /** Counted since the page began. */
  changes = 0;
  readonly #root: HTMLElement;
  readonly #stage: HTMLElement;
  readonly #age: HTMLElement;
  readonly #name: HTMLElement;
  readonly #source: Source;
  readonly #now: () => number;
  #program: ScreenProgram | undefined;
  #shown: Ready | undefined;
  #next: Ready | undefined;
  /** One that nobody waited for, for its next turn. */
  #late: Ready | undefined;
  /** How often what was made ready was dropped: what is still being made then is of before as well. */
  #drops = 0;
  /** By slot, each once: one that takes longer than its turn is not begun again with the next. */
  readonly #drawings = new Map<string, Drawing>();
  #turn: Turn<SlotHandle> | undefined;
  #failed = new Map<string, number>();
  #isStale = false;
  #step = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #isBusy = false;
  #isStopped = false;

  constructor(root: HTMLElement, source: Source, now: () => number) {
    this.#root = root;
    this.#source = source;
    this.#now = now;
    this.#stage = element('main', 'stage');
    this.#age = element('p', 'age');
    this.#name = element('p', 'name');
    this.#name.hidden = true;
    root.className = 'playing';
    root.replaceChildren(this.#stage, this.#age, this.#name);
    window.addEventListener('resize', () => this.refresh());
  }

  get program(): ScreenProgram | undefined {
    return this.#program;
  }
  get turn(): Turn<SlotHandle> | undefined {
    return this.#turn;
  }
  get asOf(): number | null {
    return this.#shown?.drawn.asOf ?? null;
  }
  /** Whether something is shown that it should show. */
  get isShowing(): boolean {
    return this.#shown !== undefined;
  }

  /** Plays by another program from now on. */
  play(program: ScreenProgram): void {
    this.#program = program;
    document.documentElement.lang = program.screen.language;
    this.#dropNext();
    void this.#tick();
  }

  /** Draws anew what is shown: figures have changed, or the wall has another size. */
  refresh(): void {
    this.#isStale = true;
    this.#dropNext();
    void this.#tick();
  }

  /** Says for a while which screen this is. */
  showName(): void {
    const { screen } = this.#program!;
    this.#name.textContent = `${screen.title} · ${screen.name} · ${screen.group}`;
    this.#name.hidden = false;
    setTimeout(() => (this.#name.hidden = true), 30_000);
  }

  stop(): void {
    this.#isStopped = true;
    clearTimeout(this.#timer);
    this.#dropNext();
    this.#shown?.drawn.onGone?.();
    this.#root.replaceChildren();
  }

  #isLeftOut = (slot: { readonly as: SlotHandle }): boolean => (this.#failed.get(slot.as.id) ?? 0) > this.#now();

  /** Looks what is to be shown, shows it, and makes ready what comes next. */
  async #tick(): Promise<void> {
    if (this.#isBusy || this.#isStopped || !this.#program) return;
    this.#isBusy = true;
    clearTimeout(this.#timer);
    let waitMs = 1_000;
    try {
      waitMs = await this.#look(this.#program);
    } catch (error) {
      // Whatever it is, the wall goes on with what it has.
      this.#tell('player', error);
    } finally {
      this.#isBusy = false;
      if (!this.#isStopped) this.#timer = setTimeout(() => void this.#tick(), waitMs);
    }
  }

  async #look(program: ScreenProgram): Promise<number> {
    this.#shift();
    let turn = slotAt(program.stretches, this.#now(), this.#isLeftOut);
    // One after the other until one can be shown: what fails is left out for a while.
    for (let tries = 0; turn && tries < 20; tries++) {
      if (await this.#show(turn)) break;
      turn = slotAt(program.stretches, this.#now(), this.#isLeftOut);
    }
    if (!turn) this.#showOtherwise(program);
    this.#turn = turn;
    this.#sayAge(program);
    this.#turnSheet(turn);
    if (!turn)
      return Math.min(5_000, Math.max(50, (nextEdge(program.stretches, this.#now()) ?? Infinity) - this.#now()));
    const leftMs = turn.until - this.#now();
    if (leftMs > aheadMs) return Math.min(5_000, leftMs - aheadMs);
    await this.#prepareNext(program, turn);
    return Math.max(0, turn.until - this.#now());
  }

  async #draw(as: SlotHandle): Promise<Drawn> {
    if (as.media) return drawMedia(this.#stage, await this.#source.file(as.id, as.media), as.media.type, as.title);
    if (as.text !== undefined) return drawWords(this.#stage, as.text, as.title);
    const { answer } = await this.#source.answer(as.id);
    if ('text' in answer) return drawWords(this.#stage, answer.text, as.title, answer.asOf);
    return drawPage(this.#stage, answer, as.title, (error) => this.#tell(as.id, error));
  }

  #begin(as: SlotHandle): Drawing {
    const drawing: Drawing = { drawn: this.#draw(as), since: this.#drops, isAwaited: true };
    this.#drawings.set(as.id, drawing);
    const settle = (found?: Drawn) => {
      if (this.#drawings.get(as.id) === drawing) this.#drawings.delete(as.id);
      if (!found || drawing.isAwaited) return;
      // It can be drawn after all: if not as it is now, then anew with its next turn.
      this.#failed.delete(as.id);
      if (this.#isStopped || drawing.since !== this.#drops || this.#late) return drop(found);
      this.#late = { id: as.id, drawn: found };
    };
    drawing.drawn.then(settle, () => settle());
    return drawing;
  }

  /** What takes too long keeps nobody waiting: it is left out like anything that fails, until it is there. */
  async #drawSoon(as: SlotHandle): Promise<Drawn> {
    const known = this.#drawings.get(as.id);
    const drawing = known?.since === this.#drops ? known : this.#begin(as);
    drawing.isAwaited = true;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const late = new Promise<undefined>((resolve) => {
      timer = setTimeout(() => {
        drawing.isAwaited = false;
        resolve(undefined);
      }, patienceMs);
    });
    const drawn = await Promise.race([drawing.drawn, late]).finally(() => clearTimeout(timer));
    if (drawn) return drawn;
    throw new Error(`timeout after ${patienceMs / 1000} s`);
  }

  async #ready(as: SlotHandle): Promise<Ready | undefined> {
    const late = this.#late;
    if (late?.id === as.id) {
      this.#late = undefined;
      return late;
    }
    const drops = this.#drops;
    try {
      return { id: as.id, drawn: await this.#drawSoon(as) };
    } catch (error) {
      if (error instanceof Refused && error.code === 'SCREEN_UNPAIRED') throw error;
      // What has changed meanwhile may be there by now.
      this.#failed.set(as.id, this.#now() + (drops === this.#drops ? againMs : soonMs));
      this.#tell(as.id, error);
      return undefined;
    }
  }

  /** @returns whether it is shown */
  async #show(turn: Turn<SlotHandle>): Promise<boolean> {
    const { as } = turn.slot;
    const isNew = this.#turn?.from !== turn.from || this.#shown?.id !== as.id;
    if (!isNew && !this.#isStale) return true;
    const drops = this.#drops;
    const ready = this.#next?.id === as.id && !this.#isStale ? this.#next : await this.#ready(as);
    if (!ready) return false;
    // What changed while it was drawn is drawn with the next look.
    if (drops === this.#drops) this.#isStale = false;
    this.#next = undefined;
    this.#swap(ready);
    if (isNew) this.changes++;
    return true;
  }

  /** The new one over the old one, and then without it: there is no moment with neither. */
  #swap(ready: Ready | undefined): void {
    const before = this.#shown?.drawn;
    this.#shown = ready;
    ready?.drawn.node.classList.add('shown');
    ready?.drawn.onShown?.();
    if (before && before !== ready?.drawn) {
      before.node.remove();
      before.onGone?.();
    }
    const kept = [ready, this.#next, this.#late].map((one) => one?.drawn.node);
    for (const other of [...this.#stage.children])
      if (!other.classList.contains('drawing') && !kept.includes(other as HTMLElement)) other.remove();
  }

  async #prepareNext(program: ScreenProgram, turn: Turn<SlotHandle>): Promise<void> {
    const next = slotAt(program.stretches, turn.until, this.#isLeftOut)?.slot.as;
    if (!next || this.#next?.id === next.id) return;
    if (this.#next) drop(this.#next.drawn);
    this.#next = undefined;
    this.#next = await this.#ready(next);
  }

  /** What was made ready is of before: figures, or the program, are others by now. */
  #dropNext(): void {
    this.#drops++;
    // What could not be shown may be there by now.
    this.#failed.clear();
    for (const one of [this.#next, this.#late]) if (one) drop(one.drawn);
    this.#next = undefined;
    this.#late = undefined;
  }

  #showOtherwise({ otherwise, screen }: ScreenProgram): void {
    const id = `otherwise ${otherwise}`;
    if (this.#shown?.id === id) return;
    const drawn = drawWords(this.#stage, otherwise || screen.title, undefined);
    drawn.node.classList.add('rest');
    this.#swap({ id, drawn });
  }

  #sayAge({ worryMs, screen }: ScreenProgram): void {
    const { asOf } = this;
    this.#age.hidden = asOf === null;
    if (asOf === null) return;
    const age = ageOf(asOf, this.#now(), { worryMs, locale: screen.language, timeZone: screen.timeZone });
    this.#age.textContent = age.words;
    this.#age.classList.toggle('worry', age.isWorrying);
  }

  /** Sheets of one page share its time. */
  #turnSheet(turn: Turn<SlotHandle> | undefined): void {
    const sheets = this.#shown?.drawn.sheets ?? [];
    if (sheets.length < 2 || !turn) return;
    const share = (this.#now() - turn.from) / Math.max(1, turn.until - turn.from);
    const at = Math.min(sheets.length - 1, Math.max(0, Math.floor(share * sheets.length)));
    sheets.forEach((one, i) => (one.hidden = i !== at));
  }

  /** A pixel or two to the side, so that no edge burns in. */
  #shift(): void {
    const step = Math.floor(this.#now() / 60_000) % 8;
    if (step === this.#step) return;
    this.#step = step;
    const [x, y] = [
      [0, 0],
      [1, 0],
      [2, 1],
      [1, 2],
      [0, 2],
      [-1, 1],
      [-2, 0],
      [-1, -1],
    ][step]!;
    this.#root.style.transform = `translate(${x}px, ${y}px)`;
  }

  #tell(where: string, error: unknown): void {
    const detail = error instanceof Error ? error.message : String(error);
    if (this.problems.length < 20) this.problems.push({ what: `slot skipped: ${where}`, detail: detail.slice(0, 300) });
  }
}
