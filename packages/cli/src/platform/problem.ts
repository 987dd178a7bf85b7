import { harmless } from './output.ts';
import { refusalKinds, type ProblemDocument, type RefusalCode } from '@underbell/core/refusal';

/** What the service, or this program itself, refused. */
export class Problem extends Error {
  override readonly name = 'Problem';
  constructor(
    readonly document: ProblemDocument,
    options?: ErrorOptions,
  ) {
    super(document.detail, options);
  }

  get exitCode(): number {
    return refusalKinds[this.document.code as RefusalCode]?.exitCode ?? 1;
  }
}

/** A problem that this program finds by itself. */
export function localProblem(
  code: RefusalCode,
  detail: string,
  more: Partial<ProblemDocument> = {},
  options?: ErrorOptions,
): Problem {
  const { title, status } = refusalKinds[code];
  return new Problem(
    { type: `urn:underbell:problem:${code.toLowerCase().replaceAll('_', '-')}`, title, status, detail, code, ...more },
    options,
  );
}

/** A problem as lines for people. */
export function problemLines({ document }: Problem): string[] {
  const { position, hint, nearest, problems = [], reference } = document;
  const lines = [`error: ${document.detail}`];
  if (position) lines.push(`  at line ${position.line}, column ${position.column}`);
  // One problem alone mostly is what was said already.
  if (problems.length > 1 || (problems[0] && !document.detail.includes(problems[0].message)))
    lines.push(...problems.map((one) => `  ${one.at}: ${one.message}${one.hint ? ` (${one.hint})` : ''}`));
  if (hint && !problems.some((one) => one.hint === hint)) lines.push(`  hint: ${hint}`);
  else if (nearest?.[0]) lines.push(`  hint: Did you mean “${nearest[0]}”?`);
  if (reference) lines.push(`  reference: ${reference}`);
  lines.push(`  code: ${document.code}`);
  return lines.map(harmless);
}
