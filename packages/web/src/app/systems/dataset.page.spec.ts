import { TestBed } from '@angular/core/testing';
import { provideRouter, Router, withComponentInputBinding } from '@angular/router';
import { RouterTestingHarness } from '@angular/router/testing';
import { provideMockActions } from '@ngrx/effects/testing';
import { provideStore, Store } from '@ngrx/store';
import type { DatasetDetail, Rows } from '@versicle/contract';
import { NEVER } from 'rxjs';
import { filtersFeature } from '../filters/filters.feature';
import { profilesFeature } from '../profiles/profiles.feature';
import { structuresActions, structuresFeature } from '../structures/structures.feature';
import { DatasetPage } from './dataset.page';
import { systemsActions, systemsFeature } from './systems.feature';

const named = (n: number): string[] => Array.from({ length: n }, (_, i) => `field_${i + 1}`);
const detailOf = (fields: readonly string[]): DatasetDetail => ({
  system: 'drop',
  systemName: 'Drop folder',
  name: 'trips.csv',
  fields: fields.map((name) => ({ name, type: 'text', nullable: true, key: false, example: null })),
  format: [],
  guessedFrom: [],
  setting: null,
  settled: false,
  lines: [],
  parts: [],
  files: ['trips.csv'],
  bytes: 1200,
  changedAt: null,
});
const rowsOf = (fields: readonly string[], over: Partial<Rows> = {}): Rows => ({
  fields: [...fields],
  rows: [1, 2].map((row) => ({ row, file: null, values: fields.map((f) => `${f}/${row}`), problem: null })),
  reading: null,
  looked: 2,
  more: false,
  all: 2,
  ...over,
});
const words = (element: Element): string => element.textContent!.replace(/\s+/g, ' ').trim();

describe('the page of a dataset', () => {
  const open = async (
    fields: readonly string[],
    query = '',
    rows: Partial<Rows> = {},
  ): Promise<{ host: HTMLElement; settle: () => Promise<void>; router: Router; store: Store }> => {
    TestBed.configureTestingModule({
      providers: [
        provideRouter([{ path: 'systems/:id/dataset', component: DatasetPage }], withComponentInputBinding()),
        provideMockActions(() => NEVER),
        provideStore(
          Object.fromEntries(
            [systemsFeature, structuresFeature, profilesFeature, filtersFeature].map((f) => [f.name, f.reducer]),
          ) as never,
        ),
      ],
    });
    const harness = await RouterTestingHarness.create(`/systems/drop/dataset?name=trips.csv${query}`);
    const store = TestBed.inject(Store);
    const settle = async (): Promise<void> => {
      await harness.fixture.whenStable();
      harness.detectChanges();
    };
    store.dispatch(systemsActions.structureLoaded({ detail: detailOf(fields) }));
    store.dispatch(systemsActions.rowsLoaded({ rows: rowsOf(fields, rows) }));
    await settle();
    return { host: harness.routeNativeElement!, settle, router: TestBed.inject(Router), store };
  };
  const headings = (host: HTMLElement): string[] => [...host.querySelectorAll('.cells thead th')].slice(1).map(words);
  const cells = (host: HTMLElement, row: number): string[] =>
    [...host.querySelectorAll(`.cells tbody tr:nth-child(${row}) td`)].map(words);
  const shown = (host: HTMLElement): string => words(host.querySelector('vs-field-window') ?? document.body);

  it('shows all fields of a dataset of usual width, and nothing to choose among them', async () => {
    const { host } = await open(named(80));
    expect(headings(host)).toEqual(named(80));
    expect(cells(host, 2).slice(0, 3)).toEqual(['2', 'field_1/2', 'field_2/2']);
    expect(shown(host)).toBe('');
  });

  it('draws a part of the fields of a wide one, says which, and goes on to the others', async () => {
    const { host, settle } = await open(named(170));
    expect(headings(host)).toEqual(named(80));
    expect(shown(host)).toContain('Fields 1 to 80 of 170');
    const further = host.querySelector<HTMLButtonElement>('[aria-label="Fields after these"]')!;
    further.click();
    await settle();
    further.click();
    await settle();
    expect(shown(host)).toContain('Fields 161 to 170 of 170');
    expect(headings(host)).toEqual(named(170).slice(160));
    expect(cells(host, 1).slice(0, 2)).toEqual(['1', 'field_161/1']);
    expect(further.disabled).toBe(true);
  });

  it('finds a field by a part of its name, in the address, and says when there is none', async () => {
    const { host, settle, router } = await open(named(170), '&from=80');
    const box = host.querySelector<HTMLInputElement>('[aria-label="Find a field"]')!;
    const find = async (text: string): Promise<void> => {
      box.value = text;
      box.dispatchEvent(new Event('input'));
      await settle();
    };
    await find('FIELD_17');
    expect(headings(host)).toEqual(['field_17', 'field_170']);
    expect(shown(host)).toContain('Fields 1 to 2 of 2 that have it in their name');
    expect(router.url).toContain('field=FIELD_17');
    await find('fare');
    expect(headings(host)).toEqual([]);
    expect(shown(host)).toContain('No field has “fare” in its name; there are 170.');
    box.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }));
    await settle();
    expect(headings(host)).toEqual(named(80));
  });

  it.each([
    ['behind the last one', '&from=9999', 'Fields 161 to 170 of 170'],
    ['before the first one', '&from=-5', 'Fields 1 to 80 of 170'],
    ['nowhere', '&from=x', 'Fields 1 to 80 of 170'],
  ])('begins where there are fields, asked to begin %s', async (_, query, expected) => {
    const { host } = await open(named(170), query);
    expect(shown(host)).toContain(expected);
  });

  it('draws the structure of a wide one in parts as well, each field with its own number', async () => {
    const { host } = await open(named(450), '&tab=structure&from=400');
    const rows = [...host.querySelectorAll('vs-structure tbody tr')].map((row) => words(row.children[0]!));
    expect([rows[0], rows.at(-1), rows.length]).toEqual(['401', '450', 50]);
    expect(shown(host)).toContain('Fields 401 to 450 of 450');
  });

  it('leaves out what is hidden; the choice of columns is there only while it is open', async () => {
    const { host, settle, router } = await open(['a', 'b', 'c'], `&hide=${encodeURIComponent('b')}`);
    expect(headings(host)).toEqual(['a', 'c']);
    const menu = host.querySelector<HTMLDetailsElement>('details.columns')!;
    expect(menu.querySelectorAll('label').length).toBe(0);
    menu.open = true;
    menu.dispatchEvent(new Event('toggle'));
    await settle();
    const boxes = [...menu.querySelectorAll<HTMLInputElement>('input')];
    expect(boxes.map((b) => b.checked)).toEqual([true, false, true]);
    boxes[0]!.click();
    await settle();
    expect(new URL(router.url, 'http://x').searchParams.get('hide')).toBe('b\na');
    expect(headings(host)).toEqual(['c']);
  });

  it('shows what values read as, what is damaged and what can’t be read', async () => {
    const { host } = await open(['fare', 'name'], '', {
      rows: [
        { row: 1, file: 'a.csv', values: ['1,5', 'M�ller'], problem: null },
        { row: 2, file: 'a.csv', values: [], problem: 'it has 9 fields' },
        { row: 3, file: 'a.csv', values: [null, ''], problem: null },
      ],
      reading: {
        fields: [
          { name: 'fare', readsAs: 'number', sort: 'try_number("fare")' },
          { name: 'name', readsAs: 'text', sort: '"name"' },
        ],
        cells: [
          [
            { at: 0, typed: '1.5', damage: null },
            { at: 1, typed: null, damage: 'a replacement character' },
          ],
          [],
          [],
        ],
        declared: null,
      },
    });
    expect(cells(host, 1)).toEqual(['1', '1,5 = 1.5', 'M�ller (a replacement character)']);
    expect(cells(host, 2)).toEqual(['2', 'can’t be read: it has 9 fields']);
    expect(cells(host, 3)).toEqual(['3', 'null', '']);
    expect(words(host.querySelector('.damages')!)).toBe(
      'Looks damaged in these rows: name a replacement character (1).',
    );
  });

  it('sorts by a field as what it reads as: up, down, and as they came', async () => {
    const { host, settle, router } = await open(['fare'], '', {
      reading: {
        fields: [{ name: 'fare', readsAs: 'number', sort: 'try_number("fare")' }],
        cells: [[], []],
        declared: null,
      },
    });
    const sort = (): string | null => new URL(router.url, 'http://x').searchParams.get('sort');
    const seen: [string | null, string | null][] = [];
    for (let i = 0; i < 3; i++) {
      host.querySelector<HTMLButtonElement>('th .sort')!.click();
      await settle();
      seen.push([sort(), host.querySelector('th[aria-sort]')?.getAttribute('aria-sort') ?? null]);
    }
    expect(seen).toEqual([
      ['try_number("fare")', 'ascending'],
      ['-try_number("fare")', 'descending'],
      [null, null],
    ]);
  });

  it('shows no rows of the filter before beside one that failed', async () => {
    const { host, settle, store } = await open(['fare'], '&filter=x');
    expect(host.querySelector('.cells')).not.toBeNull();
    store.dispatch(systemsActions.rowsFailed({ problem: 'There is no field x.' }));
    await settle();
    expect(host.querySelector('.cells')).toBeNull();
    expect(words(host)).toContain('There is no field x.');
  });

  it('tells how a structure changed, of very many changes the first ones and how many there are', async () => {
    const { host, settle, store } = await open(['a'], '&tab=structure');
    store.dispatch(
      structuresActions.loaded({
        versions: [
          {
            number: 2,
            source: 'looked at',
            at: '2026-11-30T06:00:00.000Z',
            fields: 1,
            changes: named(1203).map((field) => ({ what: 'removed', field, before: 'text', after: null, touches: [] })),
          },
        ],
      }),
    );
    await settle();
    expect(host.querySelectorAll('.change b').length).toBe(200);
    expect(words(host)).toContain('and 1,003 changes more');
  });
});
