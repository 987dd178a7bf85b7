/** What is known of a kind of things wherever it is met. */
export interface ThingFacts {
  /** In paths of the API and in sentences. */
  readonly plural: string;
  /**
   * How a thing goes: into the `bin`, from which it can be had back for a while; `at once`; `kept` in the ledger, so that what
   * it did can be looked up still; or in a way of its own.
   */
  readonly deletion: 'bin' | 'at once' | 'kept' | 'its own way';
  /** It lies in folders and has their rights. */
  readonly isFolded?: true;
  /** Why its name stays what it is. */
  readonly fixedName?: string;
  /** The form in which it stands in a file that leads from one installation into another. */
  readonly exportSchema: BundleForm;
}

/**
 * A `definition` in JSON, the `rows` of a table, an Excel `workbook`; `nothing`, where it holds a secret or says who somebody
 * is: such a thing is made anew wherever it is needed.
 */
export type BundleForm = 'definition' | 'rows' | 'workbook' | 'nothing';

/** Everything that rights are given on. */
export const resourceKinds = {
  folder: { plural: 'folders', deletion: 'at once', exportSchema: 'definition' },
  report: { plural: 'reports', deletion: 'bin', isFolded: true, exportSchema: 'definition' },
  board: { plural: 'boards', deletion: 'bin', isFolded: true, exportSchema: 'definition' },
  dataset: { plural: 'datasets', deletion: 'bin', isFolded: true, exportSchema: 'rows' },
  source: { plural: 'sources', deletion: 'at once', exportSchema: 'nothing' },
  placement: { plural: 'placements', deletion: 'at once', exportSchema: 'definition' },
  list: { plural: 'lists', deletion: 'at once', exportSchema: 'rows' },
  template: { plural: 'workbook-templates', deletion: 'at once', exportSchema: 'workbook' },
  destination: { plural: 'destinations', deletion: 'at once', exportSchema: 'nothing' },
  burst: { plural: 'bursts', deletion: 'kept', exportSchema: 'definition' },
  app: { plural: 'apps', deletion: 'its own way', exportSchema: 'definition' },
  media: { plural: 'media', deletion: 'at once', exportSchema: 'nothing' },
  playlist: { plural: 'playlists', deletion: 'its own way', exportSchema: 'definition' },
  'screen-group': { plural: 'screen-groups', deletion: 'its own way', exportSchema: 'definition' },
  screen: { plural: 'screens', deletion: 'its own way', exportSchema: 'nothing' },
  client: {
    plural: 'clients',
    deletion: 'its own way',
    fixedName: 'programs sign in by it; register one of another name and take this one away',
    exportSchema: 'nothing',
  },
} as const satisfies Readonly<Record<string, ThingFacts>>;

/** What grants are given on; `*` as a name means every thing of the kind. */
export type ThingKind = keyof typeof resourceKinds;
export const thingKinds = Object.keys(resourceKinds) as readonly ThingKind[];

type KindsWith<Facts> = {
  [Kind in ThingKind]: (typeof resourceKinds)[Kind] extends Facts ? Kind : never;
}[ThingKind];

export const kindInfo = (kind: ThingKind): ThingFacts => resourceKinds[kind];
const kindsThat = <Kind extends ThingKind>(fit: (facts: ThingFacts) => boolean) =>
  thingKinds.filter((kind) => fit(kindInfo(kind))) as Kind[];

/** Kinds that lie in folders. */
export type FoldedKind = KindsWith<{ isFolded: true }>;
export const foldedKinds = kindsThat<FoldedKind>((facts) => facts.isFolded === true);
/** Kinds that are thrown into the bin. */
export type BinnedKind = KindsWith<{ deletion: 'bin' }>;
export const trashableKinds = kindsThat<BinnedKind>((facts) => facts.deletion === 'bin');
/** Kinds that go for good, rather than into the bin: nothing is lost with them that was not said in a few lines. */
export type TakenAwayKind = KindsWith<{ deletion: 'at once' | 'kept' }>;
export const deletableKinds = kindsThat<TakenAwayKind>(({ deletion }) => deletion === 'at once' || deletion === 'kept');
/** Kinds whose things can be given another name. */
export type RenamedKind = Exclude<ThingKind, KindsWith<{ fixedName: string }>>;
/** What is given another name besides things: nobody has rights on them. */
export const peopleKinds = { group: { plural: 'groups' }, attribute: { plural: 'user-attributes' } } as const;
export type PeopleKind = keyof typeof peopleKinds;
/** Whatever leaves a former name behind when it is renamed. */
export type NamedKind = ThingKind | PeopleKind;
export const isPeopleKind = (kind: NamedKind): kind is PeopleKind => kind in peopleKinds;
export const pluralOf = (kind: NamedKind): string =>
  isPeopleKind(kind) ? peopleKinds[kind].plural : kindInfo(kind).plural;
/** Kinds whose things stand in a file of one of some forms. */
export type BundledKind<Form extends BundleForm = Exclude<BundleForm, 'nothing'>> = {
  [Kind in ThingKind]: (typeof resourceKinds)[Kind]['exportSchema'] extends Form ? Kind : never;
}[ThingKind];
export const isBundledAs = <Form extends BundleForm, Kind extends ThingKind>(
  kind: Kind,
  form: Form,
): kind is Kind & BundledKind<Form> => kindInfo(kind).exportSchema === form;
export const renamedKinds = kindsThat<RenamedKind>((facts) => facts.fixedName === undefined);
