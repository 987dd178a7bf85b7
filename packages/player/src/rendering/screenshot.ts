import { domToBlob } from 'modern-screenshot';

const side = 480;

/** A small picture of what is on a wall at this moment. */
export async function pictureOf(root: HTMLElement): Promise<Blob> {
  const { clientWidth: width, clientHeight: height } = root;
  return domToBlob(root, {
    width,
    height,
    scale: side / Math.max(width, height),
    type: 'image/webp',
    quality: 0.7,
    backgroundColor: getComputedStyle(document.body).backgroundColor,
    // The next slot waits unseen below it.
    filter: (node) => !(node instanceof HTMLElement && node.matches('.slot:not(.shown)')),
  });
}
