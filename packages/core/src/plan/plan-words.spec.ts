import { cronWords } from './cron-words.ts';
import { parsePlan } from './plan.ts';
import { planSentence, planText } from './plan-words.ts';

const NAMES: Readonly<Record<string, string>> = {
  stations: 'Stations to warehouse',
  members: 'Members to membership service',
  bikes: 'Bikes to workshop register',
  trips: 'Trips to warehouse',
};
const step = (id: string, more: object = {}) => ({ id, kind: 'mapping', mapping: id, ...more });
const text = (patch: object): string =>
  planText(
    parsePlan({ versicle: 1, kind: 'plan', name: 'Nightly', steps: [step('stations')], ...patch }),
    (_, id) => NAMES[id] ?? id,
  );

describe('a plan in words', () => {
  it('reads as people say it', () =>
    expect(
      text({
        triggers: [
          { id: 't', kind: 'schedule', cron: '0 6 * * *', zone: 'Europe/London', except: ['public holidays'] },
        ],
        steps: [
          step('stations'),
          step('members', { after: ['stations'] }),
          step('bikes', { after: ['stations'] }),
          step('trips', {
            after: ['members', 'bikes'],
            when: 'members.failed = 0',
            changes: 'watermark',
            watermark: { field: 't.ended', overlap: '1 day' },
          }),
        ],
        stop: { failedShare: 0.05 },
        tell: [{ on: ['failed', 'recovered'], by: 'mail', to: ['ops@larkway.example'] }],
      }),
    ).toBe(
      'Each day at 06:00 in Europe/London, except on public holidays: first Stations to warehouse; then, side by side, Members to membership service and Bikes to workshop register; then if members.failed = 0, Trips to warehouse, only what is new by t.ended, looking back 1 day. Stop when more than 5 % fail. Tell ops@larkway.example by mail when records fail and when it runs well again.',
    ));
  it('says what a step waits for where that is not just what stands before it', () =>
    expect(
      text({
        steps: [
          step('stations'),
          step('bikes'),
          step('members', { after: ['stations'] }),
          step('trips', { afterAny: ['bikes', 'members'] }),
        ],
      }),
    ).toBe(
      'When somebody starts it: first, side by side, Stations to warehouse and Bikes to workshop register; after stations Members to membership service; after one of bikes or members Trips to warehouse.',
    ));
  it('has a gap for whatever is chosen, which says where that stands', () => {
    const plan = parsePlan({
      versicle: 1,
      kind: 'plan',
      name: 'All',
      triggers: [
        { id: 'a', kind: 'arrival', dataset: 'signups/deliveries' },
        { id: 'b', kind: 'every', seconds: 60 },
        { id: 'c', kind: 'file', dataset: 'tidebridge/trips-*.csv' },
        { id: 'd', kind: 'after', plan: 'Nightly', on: 'failure' },
        { id: 'e', kind: 'call' },
      ],
      steps: [
        { id: 'sites', kind: 'each', over: { list: ['S-1', 'S-2'], as: 'site' }, parallel: 2, steps: [step('trips')] },
        {
          id: 'kinds',
          kind: 'share',
          dataset: 'signups/deliveries',
          by: [{ when: "d.type = 'join'", mapping: 'members' }],
        },
        { id: 'sum', kind: 'sql', system: 'warehouse', sql: 'SELECT 1', onFail: 'go on' },
        { id: 'ping', kind: 'request', system: 'membership', path: '/done' },
        { id: 'more', kind: 'plan', plan: 'Nightly' },
      ],
      overlap: 'skip',
      expected: '07:30',
    });
    const gaps = planSentence(plan).flatMap((w) => (w.path === undefined ? [] : [w.path]));
    expect(new Set(gaps).size).toBe(gaps.length);
    const at = (path: string): unknown =>
      path
        .split(/[.[\]]+/)
        .filter(Boolean)
        .reduce<unknown>((value, part) => (value as Record<string, unknown>)[part], plan);
    for (const path of gaps) expect(at(path)).toBeDefined();
    expect(planText(plan)).toContain('for each of S-1 and S-2, 2 at a time (trips)');
    expect(planText(plan)).toContain('a minute after it ended, again');
  });
});

describe('a cron in words', () => {
  it.each([
    ['* * * * *', 'each minute'],
    ['*/1 * * * *', 'each minute'],
    ['*/5 * * * *', 'every 5 minutes'],
    ['*/7 * * * *', null],
    ['5 * * * *', 'each hour at 05 minutes past'],
    ['30 6 * * *', 'each day at 06:30'],
    ['0 6,18 * * MON-FRI', 'each day from Monday to Friday at 06:00 and 18:00'],
    ['0 7 * * 1,3', 'each Monday and Wednesday at 07:00'],
    ['0 7 * * 7', 'each Sunday at 07:00'],
    ['0 2 1 * *', 'on the 1st of each month at 02:00'],
    ['0 2 22 * *', 'on the 22nd of each month at 02:00'],
    ['0 2 13 * *', 'on the 13th of each month at 02:00'],
    ['0 2 L * *', 'on the last day of each month at 02:00'],
    ['0 0 1 1 *', 'each year on 1 January at 00:00'],
    // Both a day of the month and a weekday: either counts, which no short sentence says well.
    ['0 0 13 * 5', null],
    ['0 0 1-7 * *', null],
    ['0 6 * *', null],
  ])('%s', (cron, words) => expect(cronWords(cron)).toBe(words));
});
