import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideStore, Store } from '@ngrx/store';
import type { FieldProfileDto, Knowledge } from '@versicle/contract';
import { profilesActions, profilesFeature } from './profiles.feature';
import { ValuesComponent } from './values.component';

const field = (name: string, over: Partial<FieldProfileDto> = {}): FieldProfileDto => ({
  name,
  filled: 100,
  distinct: 10,
  distinctExact: true,
  min: 'a',
  max: 'z',
  shortest: 1,
  longest: 3,
  patterns: [{ value: 'Aa', count: 100 }],
  top: [{ value: 'Pier', count: 60 }],
  topExact: true,
  meaning: null,
  damages: [],
  ...over,
});
const known = (fields: FieldProfileDto[], keys: string[][] = [], over: Partial<Knowledge> = {}): Knowledge => ({
  state: 'done',
  problem: null,
  at: '2026-11-30T06:00:00.000Z',
  rowLimit: null,
  result: {
    profile: { records: 100, unreadable: 0, fields, keys, keysTriedOn: 100 },
    quality: { records: 100, clean: 100, findings: [], dimensions: {} as never },
    references: [],
    millis: 1200,
  },
  history: [],
  checks: [],
  lookedOver: null,
  ...over,
});
const words = (element: Element): string => element.textContent!.replace(/\s+/g, ' ').trim();

describe('the values of a dataset', () => {
  const shown = (knowledge: Knowledge): { host: HTMLElement; settle: () => void; asked: unknown[] } => {
    TestBed.configureTestingModule({
      providers: [provideRouter([]), provideStore({ [profilesFeature.name]: profilesFeature.reducer })],
    });
    const store = TestBed.inject(Store);
    const asked: unknown[] = [];
    const fixture = TestBed.createComponent(ValuesComponent);
    fixture.componentRef.setInput('id', 'drop');
    fixture.componentRef.setInput('dataset', 'trips.csv');
    store.dispatch(profilesActions.loaded({ knowledge }));
    const dispatch = store.dispatch.bind(store);
    jest.spyOn(store, 'dispatch').mockImplementation(((action: never) => {
      asked.push(action);
      return dispatch(action);
    }) as never);
    fixture.detectChanges();
    return { host: fixture.nativeElement as HTMLElement, settle: () => fixture.detectChanges(), asked };
  };
  const row = (host: HTMLElement, n: number): string[] =>
    [...host.querySelectorAll(`table tbody tr:nth-child(${n}) td`)].map(words);

  it('stand by field, with what is not exact marked as such', () => {
    const { host } = shown(
      known(
        [
          field('id', { distinct: 100, shortest: 6, longest: 6 }),
          field('city', {
            filled: 40,
            distinct: 3,
            distinctExact: false,
            meaning: { name: 'city', words: 'a city', share: 0.996 },
            damages: [{ what: 'spaces at the end', count: 4, example: 'Pier ' }],
          }),
          field('empty', { filled: 0, distinct: 0, min: null, max: null, shortest: null, longest: null }),
        ],
        [['id']],
      ),
    );
    expect(row(host, 1)).toEqual(['id key', '100', '', '100', 'a', 'z', '6', '', '']);
    expect(row(host, 2)).toEqual([
      'city',
      '40',
      '',
      'about 3',
      'a',
      'z',
      '1–3',
      'a city but for 0.4 %',
      'spaces at the end (4)',
    ]);
    expect(row(host, 3)).toEqual(['empty', '0', '', '0', '', '', '', '', '']);
    expect([...host.querySelectorAll<HTMLElement>('.bar i')].map((i) => i.style.width)).toEqual(['100%', '40%', '0%']);
    expect(words(host.querySelector('.head')!)).toMatch(/All 100 records were looked at, .*, in 1\.2 s\./);
    expect(words(host.querySelector('.head')!)).toContain('What tells all records apart: id.');
  });

  it.each([
    [[['a', 'b']], [], 'What tells all records apart: a with b.'],
    [
      ['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h'].map((k) => [k]),
      [],
      'What tells all records apart: a; b; c; d; e; f and two more.',
    ],
    [[], [field('no', { distinct: 99 })], 'No field tells all records apart; no nearly does (99 different).'],
    [[], [], 'No field, pair or triple tells all records apart.'],
  ])('say what tells the records apart: %j', (keys, fields, sentence) => {
    const { host } = shown(known([field('x'), ...fields], keys));
    expect(words(host.querySelector('.head')!)).toContain(sentence);
  });

  it('open to the most frequent ones, each a way to its rows', () => {
    const { host, settle } = shown(known([field("it's", { top: [{ value: "O'Neil", count: 3 }], topExact: false })]));
    const opener = host.querySelector<HTMLButtonElement>('td .link')!;
    expect(opener.getAttribute('aria-expanded')).toBe('false');
    opener.click();
    settle();
    const inside = host.querySelector('.inside')!;
    expect(words(inside)).toContain('Most frequent, of those that came first');
    const query = new URL(inside.querySelector('a')!.href).searchParams;
    expect([query.get('name'), query.get('filter')]).toEqual(['trips.csv', `"it's" = 'O''Neil'`]);
    opener.click();
    settle();
    expect(host.querySelector('.inside')).toBeNull();
  });

  it('are drawn in parts where there are very many fields', () => {
    const { host } = shown(known(Array.from({ length: 450 }, (_, i) => field(`f${i}`))));
    expect(host.querySelectorAll('tbody tr').length).toBe(200);
    expect(words(host.querySelector('vs-field-window')!)).toContain('Fields 1 to 200 of 450');
  });

  it('are asked for: all records, or the first ones only; not while they are being looked at', () => {
    const none = shown(known([], [], { state: 'none', result: null }));
    const buttons = [...none.host.querySelectorAll<HTMLButtonElement>('.head button')];
    expect(buttons.map(words)).toEqual(['Profile all records', 'The first 10,000 only']);
    buttons[1]!.click();
    none.settle();
    expect(none.asked).toContainEqual(profilesActions.ask({ id: 'drop', dataset: 'trips.csv', rowLimit: 10000 }));
    expect(words(none.host)).toContain('Being profiled … The page follows by itself.');
    expect(buttons[0]!.disabled).toBe(true);
  });

  it('say what went wrong, and that a part of the records was looked at', () => {
    const { host } = shown(known([field('a')], [], { state: 'failed', problem: 'the file is gone', rowLimit: 100 }));
    expect(words(host)).toContain('It could not be profiled: the file is gone');
    expect(words(host)).toContain('The first 100 records were looked at');
  });

  it('name what fields refer to, of very many the first ones', () => {
    const one = known([field('a')]);
    const references = Array.from({ length: 14 }, (_, i) => ({ field: `f${i}`, in: 'stations.id', share: 0.9995 }));
    const { host } = shown({ ...one, result: { ...one.result!, references } });
    const said = [...host.querySelectorAll('.ref')].map(words);
    expect(said[0]).toBe(
      'f0 refers to stations.id: 99.95 % of its values occur among the first 200,000 records there.',
    );
    expect(said.at(-1)).toBe('2 more fields refer to others.');
    expect(said.length).toBe(13);
  });
});
