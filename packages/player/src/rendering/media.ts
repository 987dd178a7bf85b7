import type { MediaType } from '@underbell/core/media';
import { element } from './figure.ts';
import type { Drawn } from './page.ts';

const patienceMs = 20_000;

/** Waits until a video can be played, or says why it cannot be. */
function playable(video: HTMLVideoElement): Promise<void> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(() => reject(new Error('video does not start')), patienceMs);
    video.oncanplay = () => {
      clearTimeout(timer);
      resolve();
    };
    video.onerror = () => {
      clearTimeout(timer);
      reject(new Error(`video format not supported${video.error?.message ? `: ${video.error.message}` : ''}`));
    };
    video.load();
  });
}

/** A picture or video over the whole wall, nothing of it cut off; a video runs, without sound, for as long as its turn is. */
export async function drawMedia(
  stage: HTMLElement,
  file: Blob,
  type: MediaType,
  title: string | undefined,
): Promise<Drawn> {
  const address = URL.createObjectURL(file);
  const isVideo = type.startsWith('video/');
  const shown = document.createElement(isVideo ? 'video' : 'img');
  shown.className = 'media';
  const node = element(
    'section',
    'slot filled drawing',
    ...(title ? [element('header', '', element('h1', '', title))] : []),
  );
  node.append(shown);
  stage.append(node);
  const onGone = () => {
    if (shown instanceof HTMLVideoElement) {
      shown.pause();
      shown.removeAttribute('src');
      shown.load();
    }
    URL.revokeObjectURL(address);
  };
  try {
    shown.src = address;
    if (shown instanceof HTMLVideoElement) {
      Object.assign(shown, { muted: true, loop: true, playsInline: true, preload: 'auto' });
      await playable(shown);
    } else {
      shown.alt = title ?? '';
      await shown.decode();
    }
  } catch (error) {
    node.remove();
    onGone();
    throw error;
  }
  node.classList.remove('drawing');
  const onShown = () => {
    if (shown instanceof HTMLVideoElement) shown.play().catch(reportError);
  };
  return { node, sheets: [], asOf: null, onShown, onGone };
}
