/** A company that uses the works app. */
export interface WorksCompany {
  readonly id: string;
  readonly title: string;
}

export interface WorksQuay {
  readonly id: string;
  readonly name: string;
  readonly district: string;
  readonly isClosed: boolean;
  readonly berths: number;
  /** Companies whose people work on it, by their ids. */
  readonly companies: readonly string[];
}

/** What the app's owner was given, and whom it knows. */
export interface WorksSetup {
  readonly port: number;
  readonly underBellUrl: string;
  /** By which its server asks for access tokens. */
  readonly clientId: string;
  readonly clientSecret: string;
  /** Where its people sign in, and what the directory calls it. */
  readonly directory: { readonly issuer: string; readonly id: string; readonly secret: string };
  /** What Under Bell calls it. */
  readonly app: string;
  /** A placement beside a record, and those that follow the drop-down of kinds. */
  readonly record: string;
  readonly figures: readonly { readonly placement: string; readonly title: string }[];
  readonly companies: readonly WorksCompany[];
  /** Everybody else is of the first company. */
  readonly people: readonly { readonly email: string; readonly company: string; readonly isAdministrator?: boolean }[];
  readonly quays: readonly WorksQuay[];
  readonly kinds: readonly string[];
}
