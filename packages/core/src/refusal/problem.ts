import { refusalKinds } from './codes.ts';
import type { Refusal, RefusalDetails } from './refusal.ts';

/** A problem document as RFC 9457 describes it, with this product's extension members. */
export interface ProblemDocument extends RefusalDetails {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly code: string;
  /** Only for unexpected errors: the number under which the operator finds it in the log. */
  readonly reference?: string;
}

/** The problem document of a refusal. Nothing of its cause is shown. */
export function toProblemDocument(refusal: Refusal): ProblemDocument {
  const kind = refusalKinds[refusal.code];
  return {
    type: `urn:underbell:problem:${refusal.code.toLowerCase().replaceAll('_', '-')}`,
    title: kind.title,
    status: kind.status,
    detail: refusal.message,
    code: refusal.code,
    ...refusal.details,
  };
}
