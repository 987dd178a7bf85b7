/** A person as rules see one. */
export interface PersonViewer {
  readonly kind: 'person';
  readonly id: string;
  readonly name: string;
  readonly email: string;
  readonly isAdministrator: boolean;
  /** From another organisation. */
  readonly isGuest?: boolean;
  /** A chat said who it is: such a person reads, and changes nothing. */
  readonly cameBy?: 'chat';
  readonly groups: readonly string[];
  /** Raw values by attribute name; typed by what they are compared with. */
  readonly attributes: Readonly<Record<string, readonly string[]>>;
}

/** A program with an access token; `person` when the token speaks for one. */
export interface ClientViewer {
  readonly kind: 'client';
  readonly clientId: string;
  readonly tokenId: string;
  readonly person?: PersonViewer;
  /** CQL2 text by dataset, from the token's authorization details. */
  readonly where: Readonly<Record<string, string>>;
  /** The only placement that the token opens. */
  readonly placement?: string;
  /**
   * Those whose own rules and masks apply beside, by dataset: whoever handed the token out, or gave the program what it
   * reaches. Null for somebody who is gone: then there are no rows.
   */
  readonly givers?: Readonly<Record<string, readonly (PersonViewer | null)[]>>;
  /** Fields of the host's record, which `record('…')` stands for. */
  readonly context?: Readonly<Record<string, string>>;
  /** A display screen: nobody in particular looks, and what it says of itself `screen('…')` stands for. */
  readonly screen?: {
    readonly name: string;
    readonly group: string;
    readonly values: Readonly<Record<string, string>>;
    /** Who is about to give it what it has no right on yet: looked at before it is done. */
    readonly planned?: PersonViewer;
  };
}

export type Viewer = PersonViewer | ClientViewer;

/** The viewer in words, for limits and the audit. */
export function viewerName(viewer: Viewer): string {
  if (viewer.kind === 'person') return viewer.name;
  return viewer.person ? `${viewer.clientId} for ${viewer.person.name}` : viewer.clientId;
}
