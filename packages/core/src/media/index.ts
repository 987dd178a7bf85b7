export { checkDrawing } from './drawing.ts';
export {
  isMediaType,
  isVideo,
  mediaTypes,
  mostDrawingBytes,
  mostPictureBytes,
  mostPixels,
  type MediaType,
  type VideoType,
} from './types.ts';
export type { ListedMedia, MediaVersion, ShownMedia } from './apiTypes.ts';
