/** What is known of a kind of things wherever it is met. */
export interface ThingFacts {
  /** In paths of the API and in sentences. */
  readonly plural: string;
  /**
   * How a thing goes: into the `bin`, from which it can be had back for a while; `at once`; `kept` in the ledger, so that what
   * it did can be looked up still; or in a way of its own.
   */
  readonly leaving: 'bin' | 'at once' | 'kept' | 'its own way';
  /** It lies in folders and has their rights. */
  readonly isFolded?: true;
  /** Why its name stays what it is. */
  readonly fixedName?: string;
  /** The form in which it stands in a file that leads from one installation into another. */
  readonly bundledAs: BundleForm;
}

/**
 * A `definition` in JSON, the `rows` of a table, an Excel `workbook`; `nothing`, where it holds a secret or says who somebody
 * is: such a thing is made anew wherever it is needed.
 */
export type BundleForm = 'definition' | 'rows' | 'workbook' | 'nothing';

/** Everything that rights are given on. */
export const thingFacts = {
  folder: { plural: 'folders', leaving: 'at once', bundledAs: 'definition' },
  report: { plural: 'reports', leaving: 'bin', isFolded: true, bundledAs: 'definition' },
  board: { plural: 'boards', leaving: 'bin', isFolded: true, bundledAs: 'definition' },
  dataset: { plural: 'datasets', leaving: 'bin', isFolded: true, bundledAs: 'rows' },
  source: { plural: 'sources', leaving: 'at once', bundledAs: 'nothing' },
  placement: { plural: 'placements', leaving: 'at once', bundledAs: 'definition' },
  list: { plural: 'lists', leaving: 'at once', bundledAs: 'rows' },
  template: { plural: 'templates', leaving: 'at once', bundledAs: 'workbook' },
  destination: { plural: 'destinations', leaving: 'at once', bundledAs: 'nothing' },
  burst: { plural: 'bursts', leaving: 'kept', bundledAs: 'definition' },
  app: { plural: 'apps', leaving: 'its own way', bundledAs: 'definition' },
  media: { plural: 'media', leaving: 'at once', bundledAs: 'nothing' },
  playlist: { plural: 'playlists', leaving: 'its own way', bundledAs: 'definition' },
  'screen-group': { plural: 'screen-groups', leaving: 'its own way', bundledAs: 'definition' },
  screen: { plural: 'screens', leaving: 'its own way', bundledAs: 'nothing' },
  client: {
    plural: 'clients',
    leaving: 'its own way',
    fixedName: 'programs sign in by it; register one of another name and take this one away',
    bundledAs: 'nothing',
  },
} as const satisfies Readonly<Record<string, ThingFacts>>;

/** What grants are given on; `*` as a name means every thing of the kind. */
export type ThingKind = keyof typeof thingFacts;
export const thingKinds = Object.keys(thingFacts) as readonly ThingKind[];

type KindsWith<Facts> = {
  [Kind in ThingKind]: (typeof thingFacts)[Kind] extends Facts ? Kind : never;
}[ThingKind];

export const factsOf = (kind: ThingKind): ThingFacts => thingFacts[kind];
const kindsThat = <Kind extends ThingKind>(fit: (facts: ThingFacts) => boolean) =>
  thingKinds.filter((kind) => fit(factsOf(kind))) as Kind[];

/** Kinds that lie in folders. */
export type FoldedKind = KindsWith<{ isFolded: true }>;
export const foldedKinds = kindsThat<FoldedKind>((facts) => facts.isFolded === true);
/** Kinds that are thrown into the bin. */
export type BinnedKind = KindsWith<{ leaving: 'bin' }>;
export const binnedKinds = kindsThat<BinnedKind>((facts) => facts.leaving === 'bin');
/** Kinds that go for good, rather than into the bin: nothing is lost with them that was not said in a few lines. */
export type TakenAwayKind = KindsWith<{ leaving: 'at once' | 'kept' }>;
export const takenAwayKinds = kindsThat<TakenAwayKind>(({ leaving }) => leaving === 'at once' || leaving === 'kept');
/** Kinds whose things can be given another name. */
export type RenamedKind = Exclude<ThingKind, KindsWith<{ fixedName: string }>>;
/** What is given another name besides things: nobody has rights on them. */
export const peopleKinds = { group: { plural: 'groups' }, attribute: { plural: 'attributes' } } as const;
export type PeopleKind = keyof typeof peopleKinds;
/** Whatever leaves a former name behind when it is renamed. */
export type NamedKind = ThingKind | PeopleKind;
export const isPeopleKind = (kind: NamedKind): kind is PeopleKind => kind in peopleKinds;
export const pluralOf = (kind: NamedKind): string =>
  isPeopleKind(kind) ? peopleKinds[kind].plural : factsOf(kind).plural;
/** Kinds whose things stand in a file of one of some forms. */
export type BundledKind<Form extends BundleForm = Exclude<BundleForm, 'nothing'>> = {
  [Kind in ThingKind]: (typeof thingFacts)[Kind]['bundledAs'] extends Form ? Kind : never;
}[ThingKind];
export const isBundledAs = <Form extends BundleForm, Kind extends ThingKind>(
  kind: Kind,
  form: Form,
): kind is Kind & BundledKind<Form> => factsOf(kind).bundledAs === form;
export const renamedKinds = kindsThat<RenamedKind>((facts) => facts.fixedName === undefined);
