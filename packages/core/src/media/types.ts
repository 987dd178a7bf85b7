/** What screens show beside reports, by its media type (RFC 6838), with the ending of its file. */
export const mediaTypes = {
  'image/png': 'png',
  'image/jpeg': 'jpg',
  'image/webp': 'webp',
  'image/svg+xml': 'svg',
  'video/mp4': 'mp4',
  'video/webm': 'webm',
} as const;
export type MediaType = keyof typeof mediaTypes;

export const isMediaType = (type: string): type is MediaType => Object.hasOwn(mediaTypes, type);
export type VideoType = Extract<MediaType, `video/${string}`>;
export const isVideo = (type: MediaType): type is VideoType => type.startsWith('video/');

/** Of a picture, in bytes; a video may have as many as any other upload. */
export const mostPictureBytes = 20_000_000;
export const mostDrawingBytes = 2_000_000;
/** Of a picture, across times down. */
export const mostPixels = 50_000_000;
