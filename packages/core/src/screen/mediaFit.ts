import { screenParts } from './screenLayout.ts';

/** Of a wall or a picture, in pixels. */
export interface Pixels {
  readonly width: number;
  readonly height: number;
}

/** The grid of a wall: what it shows at once of a page. */
export const screenGrid = ({ width, height }: Pixels): { readonly columns: number; readonly rows: number } =>
  height > width ? { columns: 6, rows: 24 } : { columns: 12, rows: 13 };

const leastSecondsASheet = 5;
const isUpright = ({ width, height }: Pixels) => height > width;

/** What a picture would not be on a wall as it is meant to be; nothing where it fits. */
export function mediaFitWarning(picture: Pixels, wall: Pixels): string | undefined {
  const across = `${picture.width} × ${picture.height} pixels`;
  if (isUpright(picture) !== isUpright(wall) && picture.width !== picture.height)
    return `The image is ${isUpright(picture) ? 'portrait' : 'landscape'} and the screen is not: it has bars.`;
  if (picture.width * 2 < wall.width && picture.height * 2 < wall.height)
    return `${across} on a screen of ${wall.width} × ${wall.height}: it is enlarged.`;
  return undefined;
}

/** Whether a page has the time for its sheets on a wall; nothing where it does. */
export function pageCaution(
  figures: Parameters<typeof screenParts>[0],
  seconds: number,
  wall: Pixels,
): string | undefined {
  const count = screenParts(figures, screenGrid(wall)).length;
  const each = Math.floor(seconds / Math.max(1, count));
  if (count < 2 || each >= leastSecondsASheet) return undefined;
  return `The page has ${count} parts, ${each} seconds each.`;
}
