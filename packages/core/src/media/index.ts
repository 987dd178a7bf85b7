export { checkDrawing } from './drawing.ts';
export {
  isMediaType,
  isVideo,
  mediaTypes,
  mostDrawingBytes,
  mostPictureBytes,
  mostPixels,
  type MediaType,
} from './types.ts';
export type { ListedMedia, MediaVersion, ShownMedia } from './answers.ts';
