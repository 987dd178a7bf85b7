import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import {
  checkBounds,
  checkRule,
  decideAccess,
  decideRight,
  EffectiveFilter,
  effectiveFilterOf,
  mayPassOn,
  narrowDetails,
  readAuthorizationDetails,
  type ClientViewer,
  type Grant,
  type RowRule,
  type ReportViewDetails,
  type Viewer,
  type Viewing,
} from '../../src/access/index.ts';
import { explainInWords } from '../../src/filter/index.ts';
import { aPerson, aReport, aRule, moment, sailings } from '../builders.ts';
import { refused } from '../refused.ts';
import { checkNewPassword } from '../../src/access/password/index.ts';

const wordsFor = (rules: RowRule[], viewer: Viewer) =>
  explainInWords(EffectiveFilter.start(decideAccess({ dataset: sailings, rules, masks: [], viewer, moment })).where);
const aToken = (change: Partial<ClientViewer> = {}): ClientViewer => ({
  kind: 'client',
  clientId: 'portal',
  tokenId: 't',
  where: {},
  ...change,
});

describe('decideAccess', () => {
  it('leaves a dataset without rules open', () => {
    assert.equal(wordsFor([], aPerson()), 'every row');
  });

  it('limits members of a group to their own rows', () => {
    assert.equal(wordsFor([aRule()], aPerson()), 'quay is Q017');
  });

  it('shows nothing to people whom no rule of a ruled dataset names', () => {
    assert.equal(wordsFor([aRule()], aPerson({ groups: [] })), 'no row');
  });

  it('shows nothing, and says why, when an attribute is missing', () => {
    const { parts } = decideAccess({
      dataset: sailings,
      rules: [aRule()],
      masks: [],
      viewer: aPerson({ attributes: {} }),
      moment,
    });
    assert.match(parts[0]?.words ?? '', /no attribute “quay”/);
    assert.equal(wordsFor([aRule({ where: "NOT quay_id = person('quay')" })], aPerson({ attributes: {} })), 'no row');
  });

  it('joins rules for groups and persons by OR, rules for everyone by AND', () => {
    const rules = [
      aRule(),
      aRule({ name: 'whole', appliesTo: { kind: 'person', name: 'kira@skerrow.example' }, where: 'TRUE' }),
      aRule({ name: 'sailed', appliesTo: { kind: 'everyone' }, where: 'cancelled = FALSE' }),
    ];
    assert.equal(wordsFor(rules, aPerson()), 'cancelled is no and (quay is Q017 or every row)');
    assert.equal(wordsFor([rules[2]!], aPerson({ groups: [] })), 'cancelled is no');
  });

  it('does not take an attribute from an object prototype', () => {
    assert.equal(wordsFor([aRule({ where: "quay_id = person('constructor')" })], aPerson()), 'no row');
  });

  it('refuses a token without person or filter on a ruled dataset', () => {
    refused('TOKEN_NEEDS_FILTER', () => wordsFor([aRule()], aToken()));
    assert.equal(wordsFor([], aToken()), 'every row');
  });

  it('refuses a token filter that fixes nothing', () => {
    for (const text of [
      'TRUE',
      "quay_id <> 'Q017'",
      "quay_id = 'Q017' OR TRUE",
      "quay_id LIKE '%'",
      'quay_id IS NOT NULL',
      'passengers = 3',
      'quay_id = quay_id',
      "NOT quay_id = 'x'",
    ]) {
      refused('TOKEN_NEEDS_FILTER', () => wordsFor([aRule()], aToken({ where: { sailings: text } })));
    }
    assert.equal(
      wordsFor([aRule()], aToken({ where: { sailings: "passengers > 3 AND quay_id IN ('a', 'b')" } })),
      'passengers is over 3 and quay is one of a, b',
    );
  });

  it("adds the person's rules to a token that speaks for one", () => {
    assert.equal(wordsFor([aRule()], aToken({ person: aPerson() })), 'quay is Q017');
    assert.equal(
      wordsFor([aRule()], aToken({ person: aPerson(), where: { sailings: "quay_id = 'Q001'" } })),
      'quay is Q017 and quay is Q001',
    );
  });
});

describe('effectiveFilterOf', () => {
  const report = aReport({ where: 'cancelled = FALSE' });
  const viewing = (change: Partial<Viewing> = {}): Viewing => ({
    report,
    page: report.pages[0]!,
    viewer: aPerson(),
    rules: [aRule()],
    masks: [],
    moment,
    fixed: [],
    chosen: [],
    choices: [],
    ...change,
  });
  const parts = (change: Partial<Viewing>, figure?: string) =>
    effectiveFilterOf(
      viewing(change),
      sailings,
      report.pages[0]!.figures.find((one) => one.name === figure),
    )
      .explain()
      .map((one) => `${one.origin}: ${one.words}`);

  it('keeps the origin of every limit', () => {
    assert.deepEqual(
      parts({ where: 'passengers > 3', placement: { name: 'p', where: { sailings: "route = 'R1'" } } }),
      ['row rule: quay is Q017', 'placement: route is R1', 'report: cancelled is no', 'reader: passengers is over 3'],
    );
  });

  it('lets a choice narrow every figure but the one it was made in', () => {
    const change = { choices: [{ figure: 'by-route', values: ['R1'] }] };
    assert.ok(parts(change, 'all').includes('reader: route is R1'));
    assert.ok(!parts(change, 'by-route').includes('reader: route is R1'));
    refused('FIGURE_UNKNOWN', () => parts({ choices: [{ figure: 'by-rout', values: ['R1'] }] }));
    refused('FIGURE_UNKNOWN', () => parts({ choices: [{ figure: 'all', values: ['1'] }] }));
  });

  it('refuses a dataset that lacks the key a value filters by, unless it is shared', () => {
    const bare = { name: 'works', columns: [{ name: 'cost', type: 'number' as const }] };
    const chosen = [{ parameter: report.parameters![0]!, values: ['Q017'], texts: ['Q017'] }];
    refused('SHARED_KEY_MISSING', () =>
      effectiveFilterOf(viewing({ chosen, report: { ...report, where: undefined } }), bare),
    );
    const shared = { ...report, where: undefined, datasets: { works: { shared: true } } };
    assert.equal(effectiveFilterOf(viewing({ chosen, report: shared, rules: [] }), bare).parts.length, 0);
  });

  it('refuses a reader who names a column that is not there', () => {
    refused('FILTER_UNKNOWN_COLUMN', () => parts({ where: "Quay_id = 'x'" }));
  });
});

describe('checkRule', () => {
  it('names attributes that nobody has', () => {
    checkRule("quay_id = person('quay')", sailings, ['quay']);
    checkRule("passengers > person('limit')", sailings, ['limit']);
    assert.equal(
      refused('VALUE_UNBOUND', () => checkRule("quay_id = person('Quay')", sailings, ['quay'])).details.nearest?.[0],
      'quay',
    );
    refused('FILTER_UNKNOWN_FUNCTION', () => checkRule("quay_id = persn('quay')", sailings, ['quay']));
  });
});

describe('decideRight', () => {
  const grant = (change: Partial<Grant>): Grant => ({
    holder: { kind: 'group', name: 'Quay managers' },
    thing: { kind: 'report', name: 'r' },
    level: 'view',
    ...change,
  });

  it('takes the highest fitting grant and says where it comes from', () => {
    const right = decideRight([grant({}), grant({ thing: { kind: 'report', name: '*' }, level: 'edit' })], aPerson(), {
      kind: 'report',
      name: 'r',
    });
    assert.deepEqual(right, { level: 'edit', because: 'may edit: member of Quay managers, every report' });
  });

  it('gives nothing without a fitting grant', () => {
    const grants = [
      grant({ thing: { kind: 'dataset', name: 'r' } }),
      grant({ holder: { kind: 'person', name: 'else@skerrow.example' } }),
      grant({ thing: { kind: 'report', name: 'other' } }),
    ];
    assert.equal(decideRight(grants, aPerson(), { kind: 'report', name: 'r' }), undefined);
  });
});

describe('a right', () => {
  const operations = { kind: 'report', name: 'r', folders: ['operations'] } as const;
  const onFolder = (change: Partial<Grant> = {}): Grant => ({
    holder: { kind: 'group', name: 'Quay managers' },
    thing: { kind: 'folder', name: 'operations' },
    level: 'view',
    ...change,
  });

  it('on a folder holds for what lies in it, and says so', () => {
    assert.equal(
      decideRight([onFolder()], aPerson(), operations)?.because,
      'may view: member of Quay managers, folder operations',
    );
    assert.equal(decideRight([onFolder()], aPerson(), { kind: 'report', name: 'r' }), undefined);
    assert.equal(decideRight([onFolder()], aPerson(), { ...operations, folders: ['else'] }), undefined);
  });

  it('given to everyone does not reach guests', () => {
    const everyone = onFolder({ holder: { kind: 'everyone' } });
    assert.equal(decideRight([everyone], aPerson({ groups: [] }), operations)?.level, 'view');
    assert.equal(decideRight([everyone], aPerson({ groups: [], isGuest: true }), operations), undefined);
  });

  it('is passed on only as far as some grant says', () => {
    const grants = [onFolder({ level: 'edit' }), onFolder({ level: 'view', canPassOn: true })];
    const right = decideRight(grants, aPerson(), operations);
    assert.equal(mayPassOn(right, 'view'), true);
    assert.equal(mayPassOn(right, 'edit'), false);
    assert.equal(mayPassOn(decideRight([onFolder({ level: 'edit' })], aPerson(), operations), 'view'), false);
    assert.equal(mayPassOn(decideRight([onFolder({ level: 'own' })], aPerson(), operations), 'own'), true);
    assert.equal(mayPassOn(undefined, 'view'), false);
  });
});

describe('narrowDetails', () => {
  const held: ReportViewDetails = {
    type: 'report_view',
    report: 'punctuality',
    actions: ['view', 'export'],
    pages: ['a', 'b'],
    where: { sailings: "quay_id IN ('Q001', 'Q002') OR FALSE" },
    parameters: { month: '2026-10-01' },
    person: 'kira@skerrow.example',
  };

  it('joins filters by AND, cuts lists down and adds values', () => {
    assert.deepEqual(
      narrowDetails(held, {
        actions: ['view'],
        pages: ['b'],
        where: { sailings: "quay_id = 'Q001' OR TRUE", works: 'TRUE' },
        parameters: { quay: 'Q001' },
        placement: 'portal',
        person: 'KIRA@skerrow.example',
      }),
      {
        ...held,
        actions: ['view'],
        pages: ['b'],
        placement: 'portal',
        where: {
          sailings: "(quay_id IN ('Q001', 'Q002') OR FALSE) AND (quay_id = 'Q001' OR TRUE)",
          works: 'TRUE',
        },
        parameters: { month: '2026-10-01', quay: 'Q001' },
      },
    );
    assert.deepEqual(narrowDetails(held, {}), held);
  });

  it('refuses whatever widens', () => {
    for (const asked of [
      { report: 'takings' },
      { pages: ['c'] },
      { parameters: { month: '2026-09-01' } },
      { person: 'else@skerrow.example' },
    ])
      refused('TOKEN_WIDENS', () => narrowDetails(held, asked));
    refused('TOKEN_WIDENS', () => narrowDetails({ ...held, actions: ['view'] }, { actions: ['export'] }));
    refused('TOKEN_WIDENS', () => narrowDetails({ ...held, placement: 'a' }, { placement: 'b' }));
    const { person: _, ...nameless } = held;
    refused('TOKEN_WIDENS', () => narrowDetails(nameless, { person: 'kira@skerrow.example' }));
  });

  it('does not let a text reach out of its parentheses', () => {
    refused('FILTER_SYNTAX', () => narrowDetails(held, { where: { sailings: 'TRUE) OR (TRUE' } }));
  });
});

describe('checkNewPassword', () => {
  it('takes long ones that are not guessed first', async () => {
    const known = ['Kira Arkwell', 'kira@skerrow.example'];
    for (const good of ['lantern-quay-7', 'quiet harbour morning 4', 'Übersetzung mit Möwe'])
      await checkNewPassword(good, known);
    for (const weak of [
      'short',
      'password1234',
      'P4ssw0rd!2026',
      'aaaaaaaaaaaaaa',
      '123456789012',
      'qwertyuiop12',
      'Kira-Arkwell-skerrow',
      'kira skerrow 2026',
      'abcdefghijklmn',
      'ababababababab',
      'a'.repeat(201),
    ])
      await assert.rejects(checkNewPassword(weak, known), { code: 'PASSWORD_WEAK' }, weak);
  });
});

describe('readAuthorizationDetails', () => {
  const bounds = {
    reports: ['punctuality'],
    actions: ['view'] as const,
    maxLifetimeSeconds: 60,
    mayNamePersons: false,
  };
  const read = (change: object) => {
    const asked = [{ type: 'report_view', report: 'punctuality', actions: ['view'], ...change }];
    const details = readAuthorizationDetails(asked) as ReportViewDetails;
    checkBounds(details, bounds);
    return details;
  };

  it('stays within the bounds of the client', () => {
    assert.equal(read({}).report, 'punctuality');
    refused('TOKEN_SCOPE_EXCEEDED', () => read({ report: 'takings' }));
    refused('TOKEN_SCOPE_EXCEEDED', () => read({ actions: ['export'] }));
    refused('TOKEN_SCOPE_EXCEEDED', () => read({ person: 'kira@skerrow.example' }));
  });

  it('refuses members it does not know', () => {
    refused('INPUT_INVALID', () => read({ filter: 'x' }));
    refused('INPUT_INVALID', () => readAuthorizationDetails([]));
    refused('INPUT_INVALID', () => readAuthorizationDetails([{ type: 'else', report: 'punctuality' }]));
  });
});
