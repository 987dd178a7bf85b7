/** A name in addresses for a file: `Harbour Map 2.PNG` is `harbour-map-2`. */
export const nameFor = (fileName: string): string =>
  fileName
    .replace(/\.[^.]*$/, '')
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 60);
