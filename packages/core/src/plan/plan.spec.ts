import { canonicalPlan, durationSeconds, parsePlan, planJsonSchema, readPlan } from './plan.ts';
import { planProblems } from './plan-problems.ts';

const NIGHTLY = {
  versicle: 1,
  kind: 'plan',
  name: 'Tidebridge, each night',
  sort: 'sync',
  variables: { region: 'north', from: '{{month-1M}}' },
  triggers: [
    { id: 't1', kind: 'schedule', cron: '0 6 * * *', zone: 'Europe/London', except: ['public-holidays'] },
    { id: 't2', kind: 'arrival', dataset: 'signups/deliveries' },
    { id: 't3', kind: 'file', dataset: 'tidebridge/trips-*.csv', settled: '30 s', then: 'move:done' },
    { id: 't4', kind: 'after', plan: 'stations-once', on: 'success' },
    { id: 't5', kind: 'every', seconds: 5 },
    { id: 't6', kind: 'call' },
  ],
  variants: [{ name: 'north only', variables: { region: 'north' }, filters: { trips: "t.district = 'North'" } }],
  overlap: 'wait',
  steps: [
    { id: 'stations', kind: 'mapping', mapping: 'stations-to-warehouse' },
    { id: 'members', kind: 'mapping', mapping: 'members-to-membership', after: ['stations'], changes: 'compare' },
    {
      id: 'trips',
      kind: 'mapping',
      mapping: 'trips-to-warehouse',
      after: ['members'],
      when: 'members.failed = 0',
      changes: 'watermark',
      watermark: { field: 't.ended', overlap: '1 day' },
    },
    { id: 'totals', kind: 'sql', system: 'warehouse', sql: 'REFRESH MATERIALIZED VIEW trip_month', after: ['trips'] },
    {
      id: 'ping',
      kind: 'request',
      system: 'membership',
      method: 'POST',
      path: '/imports/{{run}}/done',
      after: ['totals'],
      onFail: 'go on',
    },
    {
      id: 'sites',
      kind: 'each',
      over: { dataset: 'docks/stations', fields: { site: 'code' } },
      parallel: 4,
      steps: [{ id: 'status', kind: 'mapping', mapping: 'dock-status-to-warehouse' }],
    },
    {
      id: 'kinds',
      kind: 'share',
      dataset: 'signups/deliveries',
      by: [
        { when: "d.type = 'join'", mapping: 'sign-ups-to-ledger' },
        { when: "d.type = 'leave'", mapping: 'leavers-to-membership' },
      ],
      rest: 'keep',
    },
  ],
  stop: { failedShare: 0.05, failed: 1000 },
  tell: [{ on: ['failed', 'stopped', 'recovered'], by: 'mail', to: ['ops@larkway.example'] }],
};
type Patch = Record<string, unknown>;
const said = (data: unknown): string => {
  try {
    parsePlan(data);
    return '';
  } catch (error) {
    return (error as Error).message;
  }
};
const problems = (patch: Patch, ground = {}): string[] =>
  planProblems(parsePlan({ ...NIGHTLY, ...patch }), ground).map((p) => `${p.path}: ${p.message}`);
const steps = (...all: Patch[]) => ({
  variants: [],
  steps: all.map((s, i) => ({ id: `s${i}`, ...('kind' in s ? {} : { kind: 'mapping', mapping: 'm' }), ...s })),
});

describe('a plan', () => {
  it('is read and written in one way, whatever the order of its keys', () => {
    const plan = parsePlan(NIGHTLY);
    const text = canonicalPlan(plan);
    const turned = JSON.parse(text, (_, v: unknown) =>
      typeof v === 'object' && v !== null && !Array.isArray(v) ? Object.fromEntries(Object.entries(v).reverse()) : v,
    ) as unknown;
    expect(canonicalPlan(parsePlan(turned))).toBe(text);
    expect(readPlan(`\ufeff${text}`)).toEqual(plan);
    expect(planProblems(plan)).toEqual([]);
    expect(plan.steps[0]).toMatchObject({ revision: 'newest', changes: 'all', onFail: 'stop' });
    expect(planJsonSchema()).toMatchObject({ type: 'object' });
  });
  it('says of each place what is wrong there', () => {
    expect(said({ ...NIGHTLY, sort: 'nightly' })).toContain('sort: ');
    expect(said({ ...NIGHTLY, pace: 4 })).toContain('pace: This key is not part of a plan.');
    expect(said({ ...NIGHTLY, versicle: 2 })).toContain('of version 2');
    expect(said({ ...NIGHTLY, steps: [] })).toContain('steps: ');
    const typo = said({ ...NIGHTLY, steps: [{ id: 'a', kind: 'mapping', maping: 'm' }] });
    expect(typo).toContain('steps[0].mapping: ');
    expect(typo).toContain('steps[0].maping: This key is not part of a plan.');
    expect(said({ ...NIGHTLY, steps: [{ id: 'a', kind: 'fetch' }] })).toContain('steps[0].kind: ');
    const inner = { id: 'e', kind: 'each', over: { list: ['a'], as: 'x' }, steps: [{ id: 'a', kind: 'sql' }] };
    expect(said({ ...NIGHTLY, steps: [inner] })).toContain('steps[0].steps[0].system: ');
    expect(said({ ...NIGHTLY, triggers: [{ id: 't', kind: 'every', seconds: 0 }] })).toContain('triggers[0].seconds: ');
    expect(said('{')).not.toBe('');
  });
  it('knows lengths of time', () =>
    expect(['30 s', '5 min', '2h', '1 day', '2 weeks'].map(durationSeconds)).toEqual([
      30, 300, 7200, 86_400, 1_209_600,
    ]));
});

describe('what is wrong with a plan', () => {
  it.each<[Patch, string]>([
    [steps({ id: 'a', after: ['a'] }), 'steps[0].after[0]: The step a waits for itself.'],
    [
      steps({ after: ['s1'] }, { after: ['s0'] }),
      'steps: These steps wait for each other, so that none can begin: s0 waits for s1 waits for s0.',
    ],
    [steps({}, { after: ['s00'] }), 'steps[1].after[0]: There is no step “s00”. Did you mean “s0”?'],
    [steps({ id: 'a' }, { id: 'a' }), 'steps[1].id: Two steps are called “a”; ids must differ.'],
    [steps({}, { when: 's0.failed = 0' }), 'The figures of s0 are known only to steps that go after it.'],
    [steps({}, { after: ['s0'], when: 's0.failed' }), 'steps[1].when: A condition must be true or false'],
    [steps({}, { after: ['s0'], when: 's0.faild = 0' }), 'steps[1].when: '],
    [steps({ changes: 'watermark' }), 'steps[0].watermark: Say by which field'],
    [steps({ watermark: { field: 'a' } }), 'steps[0].watermark: A watermark counts only with'],
    [steps({ kind: 'plan', plan: 'Tidebridge, each night' }), 'steps[0].plan: A plan can’t be a step of itself'],
    [{ triggers: [{ id: 't', kind: 'schedule', cron: '0 0 31 2 *' }] }, 'triggers[0].cron: “0 0 31 2 *” never comes'],
    [
      { triggers: [{ id: 't', kind: 'schedule', cron: '0 6 * * *', zone: 'Mars' }] },
      'triggers[0].zone: There is no time zone “Mars”',
    ],
    [
      { triggers: [{ id: 't', kind: 'after', plan: 'Tidebridge, each night' }] },
      'triggers[0].plan: A plan can’t start itself',
    ],
    [{ tell: [{ on: ['late'], by: 'application' }] }, 'expected: Somebody is to be told when it is late'],
    [{ tell: [{ on: ['failed'], by: 'mail' }] }, 'tell[0].to: Say who is told by mail'],
    [
      { variants: [{ name: 'v', variables: { regoin: 'x' } }] },
      'There is no variable “regoin”. Did you mean “region”?',
    ],
  ])('%j', (patch, message) => expect(problems(patch).join('\n')).toContain(message));
  it('is looked for beside it, too, where that is known', () => {
    const ground = { mappings: ['trips-to-warehouse'], systems: ['warehouse'], plans: [], calendars: [] };
    const all = problems({}, ground).join('\n');
    expect(all).toContain('steps[0].mapping: There is no mapping “stations-to-warehouse”.');
    expect(all).not.toContain('steps[2].mapping');
    expect(all).toContain('steps[4].system: There is no system “membership”.');
    expect(all).toContain('triggers[0].except[0]: There is no calendar “public-holidays”.');
    expect(all).toContain('steps[5].steps[0].mapping: ');
  });
  it('names the place of an inner step that is called as another is', () => {
    const each = {
      id: 'e',
      kind: 'each',
      over: { list: ['x'], as: 'site' },
      steps: [{ id: 'z', kind: 'mapping', mapping: 'm' }],
    };
    const last = { id: 'z', kind: 'mapping', mapping: 'm' };
    expect(problems({ variants: [], steps: [each, last] })).toEqual([
      'steps[1].id: Two steps are called “z”; ids must differ.',
    ]);
    expect(problems({ variants: [], steps: [last, each] })).toEqual([
      'steps[1].steps[0].id: Two steps are called “z”; ids must differ.',
    ]);
  });
  it('lets conditions of inner steps speak of what the outer one goes over', () => {
    const inner = { id: 'a', kind: 'mapping', mapping: 'm', when: ":site <> 'S-001'" };
    const each = { id: 'e', kind: 'each', over: { list: ['S-001'], as: 'site' }, steps: [inner] };
    expect(problems({ variants: [], steps: [each] })).toEqual([]);
    expect(problems({ variants: [], steps: [inner] }).join()).toContain('site');
  });
});
