import { TestBed } from '@angular/core/testing';
import { provideStore, Store } from '@ngrx/store';
import { parseDocument, type Suggestion } from '@versicle/core';
import { of, throwError } from 'rxjs';
import { Api, ServerProblem } from '../shared/api';
import { idle, loaded, loading, type Loadable } from '../shared/loadable';
import { sheetActions } from './sheet.actions';
import { sheetFeature } from './sheet.feature';
import { SuggestPanelComponent } from './suggest-panel.component';

const document = parseDocument({
  versicle: 1,
  name: 'Members',
  source: { primary: { alias: 'm', dataset: 'tidebridge/members' } },
  target: {
    dataset: 'store/member',
    key: ['no'],
    fields: [
      { name: 'no', type: 'text', label: 'External number' },
      { name: 'joined_on', type: 'date' },
      { name: 'country', type: 'text' },
    ],
  },
  lines: [{ id: 'l1', target: 'no', state: 'to map' }, { id: 'l2', target: 'joined_on', state: 'to map' }, { id: 'l3', target: 'country', kind: 'constant', value: 'GB' }], // prettier-ignore
});
const suggestion = (over: Partial<Suggestion>): Suggestion =>
  ({ line: 'l1', target: 'no', kind: 'straight', source: 'm.member_no', confidence: 0.914, reason: 'the names are alike', ...over }) as Suggestion; // prettier-ignore
const date = suggestion({ line: 'l2', target: 'joined_on', kind: 'rule', source: undefined, rule: "parse_date(m.joined, 'DD.MM.YYYY')", confidence: 0.8, reason: 'values look like dates' } as never); // prettier-ignore

describe('suggestions', () => {
  const shown = (list: Loadable<Suggestion[]>, call: (name: string, asked: unknown) => unknown = () => of({})) => {
    TestBed.configureTestingModule({
      providers: [provideStore({ [sheetFeature.name]: sheetFeature.reducer }), { provide: Api, useValue: { call } }],
    });
    const dispatched: unknown[] = [];
    const dispatch: jest.SpyInstance = jest.spyOn(TestBed.inject(Store), 'dispatch');
    dispatch.mockImplementation((action: unknown) => void dispatched.push(action));
    const fixture = TestBed.createComponent(SuggestPanelComponent);
    const taken: string[] = [];
    fixture.componentInstance.taken.subscribe((words) => taken.push(words));
    fixture.componentRef.setInput('of', list);
    fixture.componentRef.setInput('document', document);
    fixture.detectChanges();
    const page = fixture.nativeElement as HTMLElement;
    const words = (element: Element): string => element.textContent!.replace(/\s+/g, ' ').trim();
    return {
      page,
      dispatched,
      taken,
      see: () => fixture.detectChanges(),
      words: () => words(page),
      rows: () => [...page.querySelectorAll('tbody tr')].map((row) => [...row.children].slice(0, 4).map(words)),
      press: (name: string | RegExp): void => {
        const button = [...page.querySelectorAll('button')].find((b) => (b.getAttribute('aria-label') ?? words(b)).match(name)); // prettier-ignore
        button!.click();
        fixture.detectChanges();
      },
    };
  };
  afterEach(() => TestBed.resetTestingModule());

  it('say what fills which field, how sure that is and why; lines that are filled have none', () => {
    const filled = suggestion({ line: 'l3', target: 'country' });
    expect(shown(loaded([suggestion({}), date, filled])).rows()).toEqual([
      ['External number', 'm.member_no', '91 %', 'the names are alike'],
      ['joined_on', "parse_date(m.joined, 'DD.MM.YYYY')", '80 %', 'values look like dates'],
    ]);
  });
  it('are taken one by one, or those that are sure together, as one step', () => {
    const panel = shown(loaded([suggestion({}), date]));
    panel.press('Take the suggestion for External number');
    panel.press(/^Take the 2 of at least 80 %$/);
    const [one, both] = panel.dispatched as { type: string; document: typeof document }[];
    expect(one!.type).toBe(sheetActions.edited.type);
    const kinds = (d: typeof document) => d.lines.map((l) => [l.kind ?? null, l.source ?? l.rule ?? l.value ?? null, l.state]); // prettier-ignore
    expect(kinds(one!.document).slice(0, 2)).toEqual([
      ['straight', 'm.member_no', 'drafted'],
      [null, null, 'to map'],
    ]);
    expect(kinds(both!.document).slice(0, 2)).toEqual([
      ['straight', 'm.member_no', 'drafted'],
      ['rule', "parse_date(m.joined, 'DD.MM.YYYY')", 'drafted'],
    ]);
    expect(panel.taken).toEqual([
      'One line drafted from suggestions; Ctrl+Z takes it back.',
      'Two lines drafted from suggestions; Ctrl+Z takes it back.',
    ]);
  });
  it('are not offered together where one of them is unsure', () => {
    expect(shown(loaded([suggestion({}), suggestion({ ...date, confidence: 0.79 })])).words()).not.toContain(
      'Take the',
    );
  });
  it('say so where there are none, or where they are on their way', () => {
    expect(shown(loaded([])).words()).toContain(
      'Nothing in the source is enough like the fields that are left to map.',
    );
    TestBed.resetTestingModule();
    expect(shown(loading(idle<Suggestion[]>())).words()).toContain('Comparing names and values …');
  });
  it('follow the workspace’s own words, of which each line has two', () => {
    const kept: unknown[] = [];
    const panel = shown(loaded([suggestion({})]), (name, asked) => {
      if (name === 'getSynonyms') return of({ groups: [['dock', 'slot', 'stand']] });
      kept.push((asked as { body: unknown }).body);
      return of({});
    });
    panel.press('Words of one meaning');
    const box = panel.page.querySelector('textarea')!;
    expect(box.value).toBe('dock, slot, stand');
    const keep = (text: string): void => {
      box.value = text;
      panel.page.querySelector('form')!.dispatchEvent(new Event('submit'));
      panel.see();
    };
    keep('dock, slot\nmember');
    expect(panel.page.querySelector('[role=alert]')!.textContent).toBe('“member” stands alone; a line needs two words that mean the same.'); // prettier-ignore
    expect(kept).toEqual([]);
    keep(' dock,slot , \n\nmember, person\n');
    expect(kept).toEqual([{ groups: [['dock', 'slot'], ['member', 'person']] }]); // prettier-ignore
    expect(panel.dispatched).toEqual([sheetActions.suggestionsAsked()]);
    expect(panel.page.querySelector('textarea')).toBeNull();
  });
  it('say why the words could not be kept, and leave them as they were typed', () => {
    const panel = shown(loaded([suggestion({})]), (name) =>
      name === 'getSynonyms' ? of({ groups: [] }) : throwError(() => new ServerProblem('The store is away.', 503)),
    );
    panel.press('Words of one meaning');
    panel.page.querySelector('textarea')!.value = 'dock, slot';
    panel.page.querySelector('form')!.dispatchEvent(new Event('submit'));
    panel.see();
    expect(panel.page.querySelector('[role=alert]')!.textContent).toBe('The store is away.');
    expect(panel.page.querySelector('textarea')!.value).toBe('dock, slot');
  });
});
