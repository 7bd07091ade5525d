import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideStore, Store } from '@ngrx/store';
import type { FindingDto, Knowledge } from '@versicle/contract';
import { profilesActions as a, profilesFeature } from './profiles.feature';
import { QualityComponent } from './quality.component';

const finding = (over: Partial<FindingDto> = {}): FindingDto => ({
  dimension: 'validity',
  field: 'miles',
  what: 'is no number',
  count: 3,
  of: 1000,
  filter: null,
  rows: [],
  ...over,
});
const known = (over: Partial<Knowledge> = {}, findings: FindingDto[] = [], clean = 1000): Knowledge => ({
  state: 'done',
  problem: null,
  at: '2026-11-30T06:00:00.000Z',
  rowLimit: null,
  result: {
    profile: { records: 1000, unreadable: 0, fields: [], keys: [], keysTriedOn: 1000 },
    quality: {
      records: 1000,
      clean,
      findings,
      dimensions: { completeness: 1000, uniqueness: 999.99, validity: null, consistency: null } as never,
    },
    references: [],
    millis: 10,
  },
  history: [
    { at: '2026-11-29T06:00:00.000Z', records: 1000, clean: 500 },
    { at: '2026-11-30T06:00:00.000Z', records: 0, clean: 0 },
  ],
  checks: [],
  lookedOver: null,
  ...over,
});
const words = (element: Element): string => element.textContent!.replace(/\s+/g, ' ').trim();

describe('the quality of a dataset', () => {
  const shown = async (
    knowledge: Knowledge,
  ): Promise<{ host: HTMLElement; settle: () => Promise<void>; asked: unknown[]; store: Store }> => {
    TestBed.configureTestingModule({
      providers: [
        provideRouter([{ path: '**', children: [] }]),
        provideStore({ [profilesFeature.name]: profilesFeature.reducer }),
      ],
    });
    const store = TestBed.inject(Store);
    store.dispatch(a.loaded({ knowledge }));
    const fixture = TestBed.createComponent(QualityComponent);
    fixture.componentRef.setInput('id', 'drop');
    fixture.componentRef.setInput('dataset', 'trips.csv');
    const asked: unknown[] = [];
    const dispatch = store.dispatch.bind(store);
    jest.spyOn(store, 'dispatch').mockImplementation(((action: never) => {
      asked.push(action);
      return dispatch(action);
    }) as never);
    const settle = async (): Promise<void> => {
      await fixture.whenStable();
      fixture.detectChanges();
    };
    await settle();
    return { host: fixture.nativeElement as HTMLElement, settle, asked, store };
  };
  const of = { id: 'drop', dataset: 'trips.csv' };
  const write = (host: HTMLElement, name: string, text: string): void => {
    const box = host.querySelector<HTMLInputElement>(`input[name="${name}"]`)!;
    box.value = text;
    box.dispatchEvent(new Event('input'));
  };

  it('says how many have nothing against them, and what was not looked for', async () => {
    const { host } = await shown(known());
    expect(words(host.querySelector('.clean')!)).toBe(
      '1,000 of 1,000 records have nothing against them of what was looked for; validity and consistency were not.',
    );
    // What is not all of the records must not read 100 %.
    expect([...host.querySelectorAll('.dims tbody td')].slice(0, 4).map(words)).toEqual([
      'all records',
      '999.99 (99.99 %)',
      'not looked for',
      'not looked for',
    ]);
    expect(words(host)).toContain('Nothing speaks against any record');
    const bars = [...host.querySelectorAll<HTMLElement>('.history i')].map((i) => i.style.height);
    expect(bars).toEqual(['14px', '4px']);
  });

  it('leads to the records that something speaks against', async () => {
    const rows = [
      { row: 1204, file: 'a.csv', value: 'x' },
      { row: 1205, file: null, value: null },
    ];
    const { host, settle } = await shown(
      known({}, [
        finding({ filter: 'try_number(miles) IS NULL' }),
        finding({ rows, count: 2, field: null, what: 'the trip ends before it starts' }),
        finding({ rows, count: 9 }),
        finding({ rows: rows.slice(0, 1), count: 1 }),
      ]),
    );
    const link = host.querySelector<HTMLAnchorElement>('a')!;
    expect(new URL(link.href).searchParams.get('filter')).toBe('try_number(miles) IS NULL');
    const openers = [...host.querySelectorAll<HTMLButtonElement>('td .link')];
    expect(openers.map(words)).toEqual(['the 2 rows', 'the first 2', 'the row']);
    openers[0]!.click();
    await settle();
    expect([...host.querySelectorAll('.inside .one')].map(words)).toEqual(['row 1,204 of a.csv: x', 'row 1,205: null']);
    openers[0]!.click();
    await settle();
    expect(host.querySelector('.inside')).toBeNull();
  });

  it('lists the first of very many findings, and says how many more there are', async () => {
    const { host } = await shown(
      known(
        {},
        Array.from({ length: 1250 }, () => finding()),
      ),
    );
    expect(host.querySelectorAll('table:not(.dims) tbody tr').length).toBe(200);
    expect(words(host)).toContain('and 1,050 findings more.');
  });

  it('takes a check, keeps what was written when it is refused, and takes one away', async () => {
    const check = { id: 4, rule: 'miles IS NOT NULL', message: 'has no miles' };
    const { host, settle, asked, store } = await shown(known({ checks: [check] }));
    const add = [...host.querySelectorAll<HTMLButtonElement>('button')].find((b) => words(b) === 'Add the check')!;
    expect(add.disabled).toBe(true);
    write(host, 'rule', ' miles > 0 ');
    write(host, 'message', 'goes nowhere ');
    await settle();
    expect(add.disabled).toBe(false);
    add.click();
    await settle();
    expect(asked).toContainEqual(a.addCheck({ ...of, rule: 'miles > 0', message: 'goes nowhere' }));
    store.dispatch(a.actFailed({ problem: 'There is no field miles.' }));
    await settle();
    expect(words(host.querySelector('[role=alert]')!)).toBe('There is no field miles.');
    host.querySelector<HTMLButtonElement>('[aria-label="Take away has no miles"]')!.click();
    expect(asked).toContainEqual(a.removeCheck({ ...of, check: 4 }));
  });

  it.each([
    [null, 'Nobody has said yet that this dataset is fit for use.'],
    [{ stillTrue: true, note: '' }, 'Looked over by Oda Fenn, '],
    [{ stillTrue: false, note: 'without August' }, 'It has changed since it was looked over by Oda Fenn, '],
  ])('tells who looked it over: %j', async (over, sentence) => {
    const lookedOver = over && { person: 'Oda Fenn', at: '2026-11-30T06:00:00.000Z', ...over };
    const { host, settle, asked } = await shown(known({ lookedOver }));
    expect(words(host)).toContain(sentence);
    if (over?.note) expect(words(host)).toContain(': without August');
    write(host, 'note', 'all of it');
    await settle();
    host.querySelector('form[aria-label="Looked over"]')!.dispatchEvent(new Event('submit'));
    await settle();
    expect(asked).toContainEqual(a.lookOver({ ...of, note: 'all of it' }));
  });

  it('offers to look where nothing is known, and waits while that goes on', async () => {
    const { host, settle, asked } = await shown(known({ state: 'none', result: null }));
    const look = host.querySelector<HTMLButtonElement>('.clean button')!;
    expect(words(host.querySelector('.clean')!)).toContain('Nothing is known about these records yet.');
    look.click();
    await settle();
    expect(asked).toContainEqual(a.ask({ ...of, rowLimit: null }));
    expect(words(host.querySelector('.clean')!)).toContain('The records are being looked at …');
    expect(look.disabled).toBe(true);
  });
});
