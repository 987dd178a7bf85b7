import type { ReportViewDetails } from './authorizationDetails.ts';
import type { ClientViewer } from './viewer.ts';

/** A viewer and what the token lets it look at. */
export interface TokenViewer extends ClientViewer {
  readonly details: ReportViewDetails;
  readonly expiresAt: number;
  readonly keyThumbprint?: string;
  /** The person who handed it out; null where the program asked for it itself. */
  readonly giverId: string | null;
  /** Nobody in particular: whoever knows a public link. */
  readonly isPublic?: true;
  /** The only pages in which it may be shown; any when there is none. */
  readonly origins?: readonly string[];
}
