import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import type { FailedRecordDetail } from '@versicle/contract';
import { RecordComponent } from './record.component';

const record = {
  id: 17,
  state: 'open',
  label: 'TB-0042',
  fileRow: 1204,
  file: 'trips.csv',
  line: 'l2',
  lineNumber: 2,
  lineLabel: 'Started',
  rule: "parse_timestamp(t.started, 'DD.MM.YYYY HH24:MI')",
  failures: [
    {
      line: 'l2',
      target: 'started_at',
      cause: 'rule_error',
      message: '“31.02.2026” is not a date.',
      values: { 't.started': '31.02.2026' },
    },
    { line: 'l5', target: 'fare', cause: 'required_missing', message: 'Fare is required.', values: { 't.fare': null } },
  ],
  source: [
    { name: 'trip_id', value: 'TB-0042' },
    { name: 'started', value: '31.02.2026' },
    { name: 'fare', value: null },
  ],
  mapped: [
    { name: 'trip_no', label: 'Trip', value: 'TB-0042' },
    { name: 'started_at', label: 'Started', value: null },
    { name: 'rating', label: 'Rating', value: null },
  ],
  answer: null,
  history: [
    { at: '2026-11-30T06:00:00.000Z', what: 'failed', run: 3, revision: 1, message: '' },
    { at: '2026-11-30T07:00:00.000Z', what: 'closed', run: 4, revision: 2, message: 'skipped by s1' },
  ],
} as unknown as FailedRecordDetail;

describe('one failed record', () => {
  const shown = (over: Partial<FailedRecordDetail> = {}, place = ''): HTMLElement => {
    TestBed.configureTestingModule({ providers: [provideRouter([])] });
    const fixture = TestBed.createComponent(RecordComponent);
    fixture.componentRef.setInput('record', { ...record, ...over });
    fixture.componentRef.setInput('place', place);
    fixture.detectChanges();
    return fixture.nativeElement as HTMLElement;
  };
  const words = (element: Element): string => element.textContent!.replace(/\s+/g, ' ').trim();
  const rows = (page: HTMLElement, table: string): [string, boolean][] =>
    [...page.querySelectorAll(`table[aria-label="${table}"] tr`)].map((row) => [
      [...row.children].map(words).join(': '),
      row.classList.contains('hit'),
    ]);

  it('is named by its key, with where it stands', () => {
    expect(words(shown({}, 'run 3').querySelector('header')!)).toMatch(
      /^TB-0042 open row 1,204 of trips\.csv · run 3$/,
    );
    TestBed.resetTestingModule();
    expect(words(shown({ label: '', file: null }).querySelector('header')!)).toMatch(/^Row 1,204 open row 1,204 of the source$/); // prettier-ignore
  });
  it('says each fault in a sentence, the first with its line and rule', () => {
    expect([...shown().querySelectorAll('.fault')].map((f) => f.textContent!.trim())).toEqual([
      "Line 2 Started, parse_timestamp(t.started, 'DD.MM.YYYY HH24:MI'): 31.02.2026 is not a date.",
      'fare: Fare is required.',
    ]);
    TestBed.resetTestingModule();
    const unread = { line: null, failures: [{ ...record.failures[0]!, line: null, target: null, message: 'The row has 3 cells where the header has 4.' }] }; // prettier-ignore
    expect([...shown(unread as never).querySelectorAll('.fault')].map((f) => f.textContent!.trim())).toEqual([
      'The row has 3 cells where the header has 4.',
    ]);
  });
  it('marks the values that are involved, on both sides', () => {
    const page = shown();
    expect(rows(page, 'As read')).toEqual([
      ['trip_id: TB-0042', false],
      ['started: 31.02.2026', true],
      ['fare: null', true],
    ]);
    expect(rows(page, 'As mapped')).toEqual([
      ['Trip: TB-0042', false],
      ['Started: could not be made', true],
      ['Rating: null', false],
    ]);
  });
  it('says that nothing was mapped, what the target answered, and what has happened since', () => {
    const page = shown({ mapped: [], answer: 'no such member “7”', state: 'delivered' } as never);
    expect(rows(page, 'As mapped')).toEqual([['It did not get that far.', false]]);
    expect(words(page)).toContain('The target answered: no such member 7');
    expect([...page.querySelectorAll('.then .row')].map((row) => words(row.children[1]!))).toEqual([
      'failed in run 3, revision 1',
      'closed in run 4, revision 2: skipped by s1',
    ]);
    expect([...page.querySelectorAll('.then a')].map((a) => a.getAttribute('href'))).toEqual(['/runs/3', '/runs/4']);
    // What is over is no alarm any more.
    expect([...page.querySelectorAll('.fault')].map((f) => f.classList.contains('past')).slice(0, 2)).toEqual([true, true]); // prettier-ignore
  });
  it('shows no more than six of its faults', () => {
    const many = Array.from({ length: 9 }, () => record.failures[1]!);
    expect(shown({ failures: many }).querySelectorAll('.fault')).toHaveLength(6);
  });
});
