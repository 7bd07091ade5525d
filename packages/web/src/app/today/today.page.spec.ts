import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideStore, Store } from '@ngrx/store';
import type { CauseGroup, Today } from '@versicle/contract';
import { todayActions as a, todayFeature } from './today.feature';
import { TodayPage } from './today.page';

const AT = '2026-11-29T02:10:00.000Z';
const today = (patch: object): Today => ({
  now: '2026-11-29T09:00:00.000Z',
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
  plans: [{ id: 'p', name: 'Each night', run: null, counts: null, at: null, millis: null, open: 0, mapping: null }],
  ...patch,
});
const cause = (over: Partial<CauseGroup>): CauseGroup => ({
  mapping: 'trips',
  mappingName: 'Trips',
  line: 'l3',
  lineNumber: 3,
  label: 'From',
  cause: 'rule_error',
  count: 1,
  examples: [],
  message: 'It is odd.',
  revision: 1,
  firstSeen: AT,
  lastSeen: AT,
  ...over,
});
const message = (over: object): object => ({
  id: 9,
  subject: 'Each night failed',
  receiver: 'night@larkway.example',
  means: 'mail',
  state: 'given up',
  problem: 'the mail server refuses',
  attempts: 5,
  next: null,
  run: null,
  plan: 'night',
  createdAt: AT,
  ...over,
});
const words = (element: Element): string =>
  element
    .textContent!.replace(/\s+/g, ' ')
    .replace(/ ([.,])/g, '$1')
    .trim();

describe('Today', () => {
  const shown = (patch: object): { host: HTMLElement; asked: unknown[]; settle: () => void; store: Store } => {
    TestBed.configureTestingModule({
      providers: [provideRouter([]), provideStore({ [todayFeature.name]: todayFeature.reducer })],
    });
    const store = TestBed.inject(Store);
    const asked: unknown[] = [];
    const dispatch = store.dispatch.bind(store);
    jest.spyOn(store, 'dispatch').mockImplementation(((action: never) => {
      asked.push(action);
      return dispatch(action);
    }) as never);
    const fixture = TestBed.createComponent(TodayPage);
    store.dispatch(a.loaded({ today: today(patch) }));
    fixture.detectChanges();
    return { host: fixture.nativeElement as HTMLElement, asked, settle: () => fixture.detectChanges(), store };
  };
  const duties = (host: HTMLElement): string[] => [...host.querySelectorAll('.duty > p')].map(words);
  const ways = (host: HTMLElement): (string | null)[] =>
    [...host.querySelectorAll('.duty a.btn')].map((link) => link.getAttribute('href'));
  const press = (host: HTMLElement, name: string): void =>
    [...host.querySelectorAll<HTMLButtonElement>('.duty button')].find((b) => words(b) === name)!.click();

  it('is asked for as soon as it is opened, and says when it could not be had', () => {
    const { host, asked, settle, store } = shown({});
    expect(asked[0]).toEqual(a.opened());
    store.dispatch(a.failed({ problem: 'The server does not answer.' }));
    settle();
    expect(words(host.querySelector('[role=alert]')!)).toContain('The server does not answer.');
    host.querySelector<HTMLButtonElement>('[role=alert] button')!.click();
    expect(asked.filter((action) => (action as { type: string }).type === a.opened.type).length).toBe(2);
  });

  it('tells an empty workspace what comes first', () => {
    const { host } = shown({ plans: [] });
    expect(words(host)).toContain('Nothing is set up yet');
    expect([...host.querySelectorAll('.first a')].map((link) => link.getAttribute('href'))).toEqual([
      '/systems',
      '/mappings/new',
      '/plans',
      '/help/first-steps',
    ]);
    expect(words(host)).not.toContain('Needs a person');
  });

  it('says so when nothing needs a person', () => {
    const { host } = shown({});
    expect(words(host.querySelector('h2')!)).toBe('Needs a person nothing');
    expect(words(host)).toContain('Every record that was read is accounted for, and every system answers.');
    expect(words(host.querySelector('.sub')!)).toBe(
      'No runs in the past 24 hours; all systems answered when last asked.',
    );
  });

  it('counts runs that ended, those that go on, and systems that did not answer', () => {
    const run = (id: number, to: string | null): object => ({
      run: id,
      plan: 'p',
      planName: 'Each night',
      from: AT,
      to,
      state: to === null ? 'running' : 'finished',
      failed: 0,
    });
    const system = { id: 'w', name: 'Warehouse', message: 'It refused.', since: AT };
    const { host } = shown({ day: [run(1, AT), run(2, AT), run(3, null)], systems: [system] });
    expect(words(host.querySelector('.sub')!)).toBe(
      'Two runs in the past 24 hours, one run going on; one system did not answer.',
    );
    expect(words(host.querySelector('h2')!)).toBe('Needs a person one thing, worst first');
  });

  it.each([
    [
      [cause({ count: 1 })],
      '1 record failed in Trips: line 3 From: It is odd.',
      '?mapping=trips&line=l3&cause=rule_error',
    ],
    [
      [cause({ count: 40 })],
      '40 records failed in Trips, all with one cause: line 3 From: It is odd.',
      '?mapping=trips&line=l3&cause=rule_error',
    ],
    [
      [cause({ count: 14 }), cause({ count: 2, line: 'l4', lineNumber: 4, label: 'To' })],
      '16 records failed in Trips. 14 have one cause: line 3 From: It is odd.',
      '?mapping=trips&line=l3&cause=rule_error',
    ],
    [
      [cause({ line: 'c1', lineNumber: null, label: 'ends after it starts' }), cause({ line: 'l4', lineNumber: 4 })],
      '2 records failed in Trips, each with a cause of its own, such as check: it is odd.',
      '?mapping=trips',
    ],
  ])('leads to the records that failed, by how many causes they have (%#)', (causes, sentence, query) => {
    const { host } = shown({ causes });
    expect(duties(host)[0]!.toLowerCase()).toContain(sentence.toLowerCase());
    expect(ways(host)).toEqual([`/failures${query}`]);
  });

  it('leads from each thing to where it is mended', () => {
    const { host } = shown({
      broken: [
        { id: 7, planName: 'Each night', state: 'broken', error: null, finishedAt: AT },
        { id: 8, planName: 'By hand', state: 'asks', error: 'Replace 12 records?', finishedAt: null },
      ],
      stuck: [{ id: 'dock', name: 'Dock status', message: 'Its mapping is not published.' }],
      systems: [{ id: 'w', name: 'Warehouse', message: 'It refused.', since: AT }],
      questions: [
        {
          mapping: 'trips',
          name: 'Trips',
          line: 'l6',
          number: 6,
          label: 'Tariff',
          text: 'Which one?',
          to: null,
          by: null,
          askedAt: null,
        },
      ],
      unpublished: [
        { id: 'a', name: 'Members', changed: 1 },
        { id: 'b', name: 'Bikes', changed: 0 },
      ],
    });
    expect(duties(host)).toEqual([
      'Each night broke off: it broke off',
      'By hand asks: Replace 12 records?',
      'Dock status was due and could not be started: Its mapping is not published.',
      'Warehouse did not answer: It refused.',
      'A question on line 6 Tariff of Trips waits for an answer: Which one?',
      'The draft of Members differs from what is published in 1 line.',
      'Bikes has not been published yet.',
    ]);
    expect(ways(host)).toEqual([
      '/runs/7',
      '/runs/8',
      '/plans/dock',
      '/systems/w',
      '/mappings/trips?line=l6',
      '/mappings/a',
      '/mappings/b',
    ]);
  });

  it('tells of new fields until somebody leaves it so', () => {
    const { host, asked } = shown({
      news: [{ mapping: 'trips', name: 'Trips', dataset: 'drop/trips.csv', fields: ['rain', 'snow'], at: AT }],
    });
    expect(duties(host)).toEqual(['drop/trips.csv has new fields rain, snow, which Trips does not use.']);
    press(host, 'Leave it so');
    expect(asked).toContainEqual(a.fieldsSeen({ mapping: 'trips' }));
  });

  it('sends again what could not be told, and leaves it when asked', () => {
    const { host, asked } = shown({ messages: [message({}), message({ id: 10, state: 'waiting', next: AT })] });
    expect(duties(host)[0]).toBe(
      'Each night failed could not be told to night@larkway.example: the mail server refuses',
    );
    press(host, 'Send it again');
    press(host, 'Leave it');
    press(host, 'Send it now');
    expect(asked.slice(-3)).toEqual([a.sendAgain({ id: 9 }), a.seen({ id: 9 }), a.sendAgain({ id: 10 })]);
  });

  it('keeps messages of plans apart from what needs a person', () => {
    const { host, asked } = shown({
      messages: [message({ means: 'application', run: 12 }), message({ id: 10, means: 'application' })],
    });
    expect(words(host.querySelector('h2')!)).toBe('Needs a person nothing');
    expect([...host.querySelectorAll('.duty p a')].map((link) => link.getAttribute('href'))).toEqual([
      '/runs/12',
      '/plans/night',
    ]);
    press(host, 'Seen');
    expect(asked.at(-1)).toEqual(a.seen({ id: 9 }));
  });
});
