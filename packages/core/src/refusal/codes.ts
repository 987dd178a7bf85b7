/** How one kind of refusal is answered: HTTP status, a title for people, and the command line's exit code. */
export interface RefusalKind {
  readonly status: number;
  readonly title: string;
  readonly exitCode: 1 | 2 | 3 | 4 | 5;
}

const wrong = (title: string, status = 400): RefusalKind => ({ status, title, exitCode: 2 });
const denied = (title: string, status = 403): RefusalKind => ({ status, title, exitCode: 3 });
const missing = (title: string): RefusalKind => ({ status: 404, title, exitCode: 4 });
const failed = (title: string, status: number): RefusalKind => ({ status, title, exitCode: 1 });

/** Every refusal the product can give. Codes are for ever; titles may change. One table for service, console and command line. */
export const refusalKinds = {
  INPUT_INVALID: wrong('The input is not what was expected'),
  INPUT_TOO_LARGE: wrong('The input is too large', 413),
  METHOD_NOT_ALLOWED: wrong('It cannot be done in this way', 405),
  OPTION_UNKNOWN: wrong('An option is unknown'),
  VERSION_CONFLICT: wrong('It was changed in the meantime', 409),
  IDEMPOTENCY_MISMATCH: wrong('The key was used for another request', 422),
  IDEMPOTENCY_ACTIVE: wrong('The same request is still under way', 409),
  IDEMPOTENCY_UNKNOWN: wrong('What became of the same request is not known', 409),
  FORMAT_UNKNOWN: wrong('It is not made in this format', 501),
  NOT_PUBLIC: denied('It is not for everybody'),
  PLACE_SUSPENDED: denied('The place is suspended'),
  APP_OFF: denied('Reports are switched off in this app'),
  NAME_TAKEN: wrong('The name is already in use', 409),
  RIGHTS_GROW: wrong('More people would get rights', 409),
  IN_USE: wrong('Something still depends on it', 409),

  FILTER_SYNTAX: wrong('The filter cannot be read'),
  FILTER_UNKNOWN_COLUMN: wrong('The filter names a column that does not exist'),
  FILTER_UNKNOWN_FUNCTION: wrong('The filter names a function that does not exist'),
  FILTER_WRONG_TYPE: wrong('The filter compares things of different types'),
  FILTER_TOO_LONG: wrong('The filter is too long'),
  FILTER_TOO_COSTLY: wrong('The filter costs too much'),
  FILTER_TOO_DEEP: wrong('The filter is nested too deeply'),
  FILTER_NOT_SUPPORTED: wrong('The filter uses something that is not supported'),
  VALUE_UNBOUND: wrong('A value is missing'),
  RECORD_INCOMPLETE: wrong('The record is not complete yet', 409),
  VALUE_INVALID: wrong('A value does not fit its type'),

  REPORT_INVALID: wrong('The report definition has errors'),
  BOARD_INVALID: wrong('The board has errors'),
  BURST_INVALID: wrong('The burst definition has errors'),
  DATASET_INVALID: wrong('The dataset definition has errors'),
  PARAMETER_UNKNOWN: wrong('A parameter is unknown'),
  PARAMETER_MISSING: wrong('A parameter has no value'),
  KEY_MISSING: wrong('A dataset lacks the key that a value filters by'),
  PAGE_UNKNOWN: wrong('The report has no such page'),
  FIGURE_UNKNOWN: wrong('The page has no such figure'),

  ROWS_UNREADABLE: wrong('The rows could not be read', 422),
  COLUMN_HIDDEN: denied('A column is not shown to you'),
  GROUPS_TOO_SMALL: denied('Too few rows to be shown'),

  FILE_NOT_UTF8: wrong('The file is not UTF-8 text'),
  FILE_AMBIGUOUS: wrong('The file can be read in more than one way'),
  FILE_RAGGED: wrong('A row of the file has the wrong number of cells'),
  FILE_MALFORMED: wrong('The file cannot be read'),
  FILE_EMPTY: wrong('The file has no rows'),
  FILE_COLUMN_MISSING: wrong('The file lacks a column'),
  FILE_COLUMN_INVALID: wrong('A heading of the file cannot be used'),
  FILE_KIND_UNKNOWN: wrong('The file is of no kind that can be loaded', 415),
  CELLS_INVALID: wrong('Cells of the file do not fit their column'),
  SCHEDULE_INVALID: wrong('The schedule cannot be read'),
  SCHEDULE_NEVER: wrong('The schedule never comes true'),
  LIST_INVALID: wrong('The recipient list has errors'),
  TEMPLATE_UNFIT: wrong('The workbook cannot serve as a template'),
  TEMPLATE_LEAK: failed('A file would have held values of another recipient', 500),

  SIGN_IN_NEEDED: denied('Sign in first', 401),
  SIGN_IN_FAILED: denied('Signing in failed', 401),
  SIGN_IN_LOCKED: denied('Too many attempts', 429),
  PASSWORD_WEAK: wrong('The password is too easily guessed'),
  INVITATION_INVALID: denied('The invitation is not valid any more', 410),
  TOO_MANY: denied('Too many attempts', 429),
  DIRECTORY_REFUSED: denied('The directory did not confirm who you are', 401),
  ADDRESS_FORBIDDEN: denied('This address may not be reached'),
  NOT_ALLOWED: denied('You may not do this'),
  CROSS_SITE: denied('The request came from another site'),
  SETUP_DONE: denied('The installation already has an administrator', 409),

  TOKEN_INVALID: denied('The access token is not valid', 401),
  TOKEN_EXPIRED: denied('The access token has expired', 401),
  TOKEN_REVOKED: denied('The access token was revoked', 401),
  TOKEN_OUT_OF_BOUNDS: denied('The access token does not reach this'),
  TOKEN_NEEDS_FILTER: denied('A token for record-filtered data needs a person or a filter'),
  CLIENT_INVALID: denied('The client could not be authenticated', 401),
  TOKEN_WIDENS: denied('The exchange would widen the token'),
  PROOF_INVALID: denied('The proof of possession is not valid', 401),
  GRANT_UNSUPPORTED: wrong('The grant type is not supported'),

  SCREEN_INVALID: wrong('What is said of the screen does not fit'),
  SCREEN_CLOSED: denied('This screen is closed', 401),
  PLAYLIST_INVALID: wrong('The playlist has errors'),
  PLAYLIST_MISFIT: wrong('The playlist does not fit every screen', 409),
  PAIRING_PENDING: wrong('Nobody has typed the code yet'),
  PAIRING_SLOWER: wrong('Ask less often'),
  PAIRING_REFUSED: wrong('The screen was refused'),
  PAIRING_EXPIRED: wrong('The code has run out'),

  NOT_FOUND: missing('There is no such thing'),

  SOURCE_UNREACHABLE: failed('The source cannot be reached', 502),
  SOURCE_WRITES: wrong('The source’s role may do more than read', 409),
  SOURCE_REFUSED: failed('The source refused the query', 502),
  DESTINATION_UNREACHABLE: failed('The destination cannot be reached', 502),
  DESTINATION_OVERWRITES: failed('The destination overwrites what is there', 502),
  DESTINATION_BUSY: failed('The destination takes nothing just now', 503),
  DESTINATION_CLOSED: failed('The destination lets nothing in', 502),
  DESTINATION_PAUSED: failed('The destination is paused', 503),
  DESTINATION_REFUSED: failed('The destination refused the copy', 502),
  DELIVERY_IN_DOUBT: failed('Whether the copy arrived is not known', 502),
  CHAT_UNREACHABLE: failed('The chat cannot be reached', 502),
  CHAT_REFUSED: failed('The chat refused it', 502),
  DISK_FULL: failed('There is no space left', 507),
  FOREIGN_ROW: failed('A row did not belong to its recipient; the run was stopped', 500),
  RUN_ACTIVE: wrong('A run of this burst is already going on', 409),
  REFRESH_ACTIVE: wrong('The dataset is being loaded already', 409),
  REFRESH_BREAKS: wrong('The new data would break what uses the dataset', 409),
  EDITION_BREAKS: wrong('The new edition would break what uses the report', 409),
  LOAD_STOPPED: failed('The loading was stopped', 409),
  RUN_STOPPED: failed('The run was stopped', 409),
  LINK_GONE: wrong('The link does not hold any more', 410),
  COST_LIMIT: failed('A limit of costs is reached', 409),
  COPY_EMPTY: failed('A copy would be empty', 409),
  SERVICE_UNREACHABLE: failed('The service cannot be reached', 503),
  SETTING_INVALID: wrong('A setting is not usable'),
  INTERNAL: failed('Something went wrong inside', 500),
} satisfies Record<string, RefusalKind>;

export type RefusalCode = keyof typeof refusalKinds;
