import { Refusal, type RefusalCode, type RefusalDetails } from '../refusal/index.ts';
import type { Span } from './tree.ts';

/** Line and column, from 1, of an offset in a text. */
export function positionAt(text: string, offset: number): { line: number; column: number; offset: number } {
  const before = text.slice(0, offset);
  const line = before.split('\n').length;
  return { line, column: offset - (before.lastIndexOf('\n') + 1) + 1, offset };
}

/** A refusal that points into a filter: to a position of its text, or by JSON Pointer into CQL2 JSON. */
export function refuseAt(
  text: string,
  span: Span,
  problem: { code: RefusalCode; message: string } & RefusalDetails,
): Refusal {
  const { code, message, ...details } = problem;
  if (span.pointer !== undefined) return new Refusal(code, message, { pointer: span.pointer, ...details });
  const word = text.slice(span.start, Math.min(span.end, span.start + 60));
  return new Refusal(code, message, { position: positionAt(text, span.start), ...(word ? { word } : {}), ...details });
}
