import { redrawSvg } from '@underbell/core/render';
import { fontFiles } from './fontFiles.ts';

/** Apart from what draws pages: a thread that looks at drawings needs none of that. */
export const redraw = (svg: string) => redrawSvg(svg, Object.values(fontFiles));
