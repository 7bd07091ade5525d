import type { CauseGroup, Today } from '@versicle/contract';
import { dutiesOf, othersSentence } from './duties';

const cause = (mapping: string, count: number, line: string | null, lineNumber: number | null): CauseGroup => ({
  mapping,
  mappingName: mapping,
  line,
  lineNumber,
  label: `Field ${lineNumber}`,
  cause: 'rule_error',
  count,
  examples: [],
  message: 'Odd.',
  revision: 1,
  firstSeen: '',
  lastSeen: '',
});
const today = (patch: Partial<Today>): Today => ({
  now: '2026-11-25T09:00:00Z',
  causes: [],
  openFailures: 0,
  systems: [],
  questions: [],
  unpublished: [],
  broken: [],
  stuck: [],
  messages: [],
  news: [],
  day: [],
  due: [],
  plans: [],
  ...patch,
});

describe('what needs a person', () => {
  it('is one thing for each mapping, the largest first, behind systems that refuse', () => {
    const duties = dutiesOf(
      today({
        causes: [cause('a', 3, 'l1', 1), cause('b', 2, 'l2', 2), cause('b', 9, 'l3', 3)],
        systems: [{ id: 's', name: 'S', message: 'refused', since: '' }],
      }),
    );
    expect(duties.map((d) => d.kind)).toEqual(['system', 'failures', 'failures']);
    expect(duties[1]).toMatchObject({ mapping: 'b', total: 11, worst: { count: 2 } });
  });
  it('names plans that could not be started before anything that may wait', () => {
    const duties = dutiesOf(
      today({
        causes: [cause('a', 3, 'l1', 1)],
        stuck: [{ id: 'night', name: 'Night', message: 'Its mapping is not published.' }],
      }),
    );
    expect(duties.map((d) => d.kind)).toEqual(['stuck', 'failures']);
  });
  it('sums the other causes up', () => {
    expect(othersSentence([])).toBe('');
    expect(othersSentence([cause('a', 5, 'l3', 3), cause('a', 1, null, null)])).toBe(
      'Six others: 5 on line 3 Field 3, 1 Field null.',
    );
    expect(othersSentence([1, 2, 3, 4].map((n) => cause('a', n, `l${n}`, n)))).toMatch(/and one more cause\.$/);
  });
  it('is nothing when nothing is in the way', () => expect(dutiesOf(today({}))).toEqual([]));
});
