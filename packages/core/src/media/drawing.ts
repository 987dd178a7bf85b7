import { SaxesParser } from 'saxes';
import { Refusal } from '../refusal/index.ts';

/** Pictures within a drawing are bytes of its own: nothing is fetched, and no drawing hides in another one. */
const ownPicture = /^data:image\/(?:png|jpeg|webp|gif)[;,]/i;
const mostDepth = 200;

const refuse = (message: string, word?: string, hint?: string) =>
  new Refusal('MEDIA_INVALID', message, {
    ...(word === undefined ? {} : { word: word.slice(0, 100) }),
    ...(hint === undefined ? {} : { hint }),
  });

/**
 * Looks at an SVG drawing before anything draws it. Whatever it would fetch, from the network or from the disk of whoever
 * draws it, keeps it out; what only acts in a browser (scripts, styles of a page, links) is lost when it is drawn anew.
 *
 * @throws {Refusal} `MEDIA_INVALID`
 * @see SVG 2, section 2.2.1 (secure static mode)
 */
export function checkDrawing(text: string): void {
  const parser = new SaxesParser({ xmlns: true });
  let depth = 0;
  let isSvg = false;
  parser.on('error', (error) => {
    throw refuse(`The SVG is not valid XML: ${error.message}.`);
  });
  parser.on('doctype', (doctype) => {
    // Entities can stand for files, and for more text than anybody has memory for.
    if (doctype.includes('[')) throw refuse('The SVG declares entities.', undefined, 'Save it without them.');
  });
  parser.on('opentag', ({ local, uri, attributes }) => {
    if (++depth > mostDepth) throw refuse('The SVG is nested too deeply.');
    if (depth === 1) {
      isSvg = local === 'svg' && uri === 'http://www.w3.org/2000/svg';
      if (!isSvg) throw refuse('The file is XML, but not SVG.', local);
    }
    for (const { local: name, value } of Object.values(attributes)) {
      const target = value.trim();
      // A link is lost when it is drawn; anything else with an address is fetched.
      if (name !== 'href' || local === 'a' || target === '' || target.startsWith('#') || ownPicture.test(target))
        continue;
      throw refuse(
        `The SVG needs “${target.slice(0, 60)}”, which is not in the file.`,
        target,
        'Embed images (PNG, JPEG) in the SVG.',
      );
    }
  });
  parser.on('closetag', () => depth--);
  parser.write(text).close();
  if (!isSvg) throw refuse('The file has no SVG.');
}
