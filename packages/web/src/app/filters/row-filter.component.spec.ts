import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { provideStore, Store } from '@ngrx/store';
import { failed, idle, loaded, loading } from '../shared/loadable';
import { filtersActions, filtersFeature } from './filters.feature';
import { RowFilterComponent, shownWords } from './row-filter.component';

const count = loaded({ met: 3412, all: 1_000_000 });
const shown = (rows: number, more: boolean, sortedAmong: number | null = null, all: number | null = null) => ({
  rows,
  more,
  all,
  sortedAmong,
});

describe('what is said of the rows that are shown', () => {
  it('is how many there are, of how many that meet the filter, of how many records', () => {
    expect(shownWords(shown(24, false), '', idle())).toBe('all 24 rows');
    expect(shownWords(shown(100, true), '', idle())).toBe('the first 100 rows');
    expect(shownWords(shown(100, true), 'a', count)).toBe('the first 100; 3,412 of 1,000,000 records meet the filter');
    expect(shownWords(shown(7, false, null, 200), 'a', idle())).toBe('7 of 200 records meet the filter');
    expect(shownWords(shown(3412, false), 'a', count)).toBe('3,412 of 1,000,000 records meet the filter');
  });
  it('is no figure that is not known yet', () => {
    expect(shownWords(shown(100, true), 'a', loading(idle()))).toBe('the first 100 that meet the filter; counting …');
    expect(shownWords(shown(7, false), 'a', failed('gone', idle()))).toBe('7 that meet the filter');
  });
  it('says how far was looked where not all records were sorted', () => {
    expect(shownWords(shown(100, true, 1_000_000), '', idle())).toContain('sorted among the first 1,000,000');
  });
});

describe('the filter of rows', () => {
  let fixture: ComponentFixture<RowFilterComponent>;
  let store: Store;
  const sent: string[] = [];
  const page = (): HTMLElement => fixture.nativeElement as HTMLElement;
  beforeEach(() => {
    TestBed.configureTestingModule({ providers: [provideStore({ filters: filtersFeature.reducer })] });
    store = TestBed.inject(Store);
    const dispatch = store.dispatch.bind(store) as (action: { type: string }) => void;
    sent.length = 0;
    jest.spyOn(store, 'dispatch').mockImplementation(((action: { type: string }) => {
      sent.push(JSON.stringify(action));
      dispatch(action);
    }) as never);
    fixture = TestBed.createComponent(RowFilterComponent);
    fixture.componentRef.setInput('system', 'tidebridge');
    fixture.componentRef.setInput('dataset', 'stations.csv');
    fixture.componentRef.setInput('condition', "dock = '3'");
    fixture.detectChanges();
  });
  const tell = (kept: object[]): void => {
    store.dispatch(filtersActions.loaded({ kept: kept as never }));
    fixture.detectChanges();
  };

  it('can be kept as soon as its rows are there, once', () => {
    expect(page().querySelector('#filter-name')).toBeNull();
    fixture.componentRef.setInput('works', true);
    fixture.detectChanges();
    const box = page().querySelector<HTMLInputElement>('#filter-name')!;
    box.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
    expect(sent.some((s) => s.includes('Keep'))).toBe(false);
    box.value = ' Three docks ';
    box.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
    expect(sent.at(-1)).toContain('"name":"Three docks"');
    tell([{ id: 1, name: 'Three docks', condition: "dock = '3'", person: 'Ines Marlowe' }]);
    expect(page().querySelector('#filter-name')).toBeNull();
    expect(page().querySelector('.name')!.getAttribute('aria-pressed')).toBe('true');
  });
  it('is chosen among those that are kept, and they are forgotten', () => {
    const chosen: string[] = [];
    fixture.componentInstance.chosen.subscribe((c) => chosen.push(c));
    tell([{ id: 4, name: 'No docks', condition: 'dock IS NULL', person: 'Ines Marlowe' }]);
    page().querySelector<HTMLElement>('.name')!.click();
    expect(chosen).toEqual(['dock IS NULL']);
    page().querySelector<HTMLElement>('.forget')!.click();
    store.dispatch(filtersActions.forgotten({ filter: 4 }));
    fixture.detectChanges();
    expect(page().querySelector('.name')).toBeNull();
  });
  it('forgets the kept ones and the count of another dataset', () => {
    tell([{ id: 4, name: 'No docks', condition: 'dock IS NULL', person: 'Ines Marlowe' }]);
    fixture.componentRef.setInput('uncounted', true);
    fixture.componentRef.setInput('works', true);
    fixture.detectChanges();
    expect(sent.at(-1)).toContain('[Filters] count');
    store.dispatch(filtersActions.counted({ count: { met: 1, all: 2 } }));
    fixture.componentRef.setInput('dataset', 'bikes.csv');
    fixture.detectChanges();
    expect(page().querySelector('.name')).toBeNull();
    expect(store.selectSignal(filtersFeature.selectCount)().value).toBeNull();
  });
});
