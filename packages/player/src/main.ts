import '@fontsource/source-sans-3/latin-400.css';
import '@fontsource/source-sans-3/latin-600.css';
import { cssVariables, light } from '@underbell/core/theme';
import { element } from './rendering/figure.ts';
import { serviceNow, setClock } from './device/clock.ts';
import { pair } from './device/pair.ts';
import { askTime, hasTokens } from './device/service.ts';
import { reopen } from './storage/store.ts';
import { Player } from './playback/player.ts';
import { run } from './playback/run.ts';
import { PreviewSource } from './playback/source.ts';
import './style.css';

const root = document.getElementById('app')!;
root.setAttribute('role', 'main');
const sheet = document.createElement('style');
sheet.textContent = `:root { ${cssVariables(light)} }`;
document.head.append(sheet);

function say(text: string, hint = ''): void {
  root.className = 'saying';
  root.replaceChildren(element('h1', 'words', text), ...(hint ? [element('p', 'hint', hint)] : []));
}

/** Keeps the page itself, for a start without a network. */
async function keepPage(): Promise<void> {
  if (!('serviceWorker' in navigator)) return;
  const registration = await navigator.serviceWorker.register('/screen/worker.js', { scope: '/screen/' });
  const worker = registration.active ?? (await navigator.serviceWorker.ready).active;
  worker?.postMessage(performance.getEntriesByType('resource').map((one) => one.name));
}

/** Only one page of a browser plays: two would renew one key against each other. */
function alone(work: () => Promise<void>): Promise<void> {
  return navigator.locks.request('underbell screen plays', { ifAvailable: true }, async (lock) => {
    if (lock) return work();
    say('Already playing in another window.');
    await navigator.locks.request('underbell screen plays', () => location.reload());
  });
}

/** Asks that what is kept is not cleared away for others; Firefox would ask whoever stands before the wall, and nobody does. */
async function keepForGood(): Promise<void> {
  if (!navigator.userAgent.includes('Firefox/')) await navigator.storage?.persist?.();
}

async function start(): Promise<void> {
  void keepPage().catch(reportError);
  void keepForGood().catch(reportError);
  for (;;) {
    if (!(await hasTokens())) {
      reopen();
      say('Under Bell', 'Connecting …');
      await askTime().catch(() => undefined);
      try {
        await pair(root);
      } catch {
        // No service yet: a wall waits for it, and says so.
        say('Under Bell', 'Waiting for the service …');
        await new Promise((resolve) => setTimeout(resolve, 5_000));
        continue;
      }
    }
    const why = await run(root);
    say(why, 'A new pairing code appears in one minute.');
    await new Promise((resolve) => setTimeout(resolve, 60_000));
  }
}

async function preview(name: string, at: string | null): Promise<void> {
  const source = new PreviewSource(name, at);
  const program = await source.program();
  setClock(program.now);
  const player = new Player(root, source, serviceNow);
  player.play(program);
}

/** Without these a screen can neither prove its key nor keep anything: it shows pictures that the service draws. */
const canPlay = [globalThis.indexedDB, globalThis.crypto?.subtle, navigator.locks].every(Boolean);

const words = new URLSearchParams(location.search);
const previewed = words.get('preview');
if (previewed !== null)
  preview(previewed, words.get('at')).catch((error: unknown) =>
    say('Content not available.', (error as Error).message),
  );
else if (canPlay) void alone(start);
else location.replace('/screen/picture');
