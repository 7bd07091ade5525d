import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideStore, Store } from '@ngrx/store';
import { parseDocument } from '@versicle/core';
import { of } from 'rxjs';
import { Api } from '../shared/api';
import { failed, idle, loaded } from '../shared/loadable';
import { PublishPanelComponent } from './publish-panel.component';
import { sheetActions } from './sheet.actions';
import { sheetFeature, type SheetState } from './sheet.feature';

type Publishing = NonNullable<SheetState['publishing']>;
const asked: Publishing = { difference: idle(), busy: false, problem: null, faults: [], done: null };
const document = parseDocument({
  versicle: 1,
  name: 'Trips',
  source: { primary: { alias: 't', dataset: 'files/trips.csv' } },
  target: {
    dataset: 'store/trip',
    key: ['no'],
    fields: [
      { name: 'no', type: 'text' },
      { name: 'km', type: 'integer' },
    ],
  },
  lines: [
    { id: 'l1', target: 'no', kind: 'straight', source: 't.no', state: 'agreed' },
    { id: 'l2', target: 'km' },
  ],
});

describe('publishing', () => {
  const shown = (of_: Publishing, over: Record<string, unknown> = {}) => {
    TestBed.configureTestingModule({
      providers: [
        provideRouter([]),
        provideStore({ [sheetFeature.name]: sheetFeature.reducer }),
        { provide: Api, useValue: { call: () => of({ lacking: [], ahead: [] }) } },
      ],
    });
    const dispatched = jest.spyOn(TestBed.inject(Store), 'dispatch');
    const fixture = TestBed.createComponent(PublishPanelComponent);
    const inputs = { of: of_, revision: 2, saving: 'saved', mapping: 'trips', plan: null, openFailures: 0, document, record: null, version: 3, ...over }; // prettier-ignore
    for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
    fixture.detectChanges();
    const page = fixture.nativeElement as HTMLElement;
    return {
      page,
      dispatched,
      words: page.textContent!.replace(/\s+/g, ' ').trim(),
      links: [...page.querySelectorAll('a')].map((a) => `${a.textContent!.replace(/\s+/g, ' ').trim()} → ${a.getAttribute('href')}`), // prettier-ignore
      publish: [...page.querySelectorAll('button')].find((b) => b.type === 'submit') ?? null,
    };
  };
  afterEach(() => TestBed.resetTestingModule());

  it('says what changes since the last revision, or that it is the first', () => {
    expect(shown(asked).words).toContain('What changes since revision 2');
    TestBed.resetTestingModule();
    const first = shown(asked, { revision: null });
    expect(first.words).toContain('the whole document becomes revision 1');
    expect(first.publish!.textContent).toContain('Publish revision 1');
  });
  it('says what nobody has settled, and lets publish nevertheless', () => {
    const panel = shown(asked);
    expect(panel.page.querySelector('form p[role=status]')!.textContent).toMatch(/line/);
    expect(panel.publish!.disabled).toBe(false);
    panel.page.querySelector('input')!.value = '  Fares in cents  ';
    panel.page.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }));
    expect(panel.dispatched).toHaveBeenCalledWith(sheetActions.publish({ note: 'Fares in cents' }));
  });
  it.each([
    ['edits are not saved yet', asked, { saving: 'waiting' }],
    ['it is under way', { ...asked, busy: true }, {}],
  ])('waits while %s', (_what, state, over) => expect(shown(state, over).publish!.disabled).toBe(true));
  it('says what stands against it, by where it stands', () => {
    const panel = shown({
      ...asked,
      problem: 'The document can’t be published yet.',
      faults: [{ path: 'lines[1]', message: 'Line 2 has no kind.' }],
    });
    expect([...panel.page.querySelectorAll('.rub')].map((p) => p.textContent!.replace(/\s+/g, ' ').trim())).toEqual([
      'The document can’t be published yet.',
      'lines[1] Line 2 has no kind.',
    ]);
  });
  it('asks for a comparison once more where it could not be had', () => {
    expect(shown({ ...asked, difference: failed('The server does not answer.', idle()) }).words).toContain('The server does not answer.'); // prettier-ignore
  });
  const done = { number: 3, publishedAt: '', publishedBy: '', note: '' } as unknown as Publishing['done'];
  it('leads on from there: to a run, to a plan, to the records that it may mend', () => {
    const state = { ...asked, difference: loaded({} as never), done };
    expect(shown(state, { plan: 'night', openFailures: 1204 }).links).toEqual([
      'Run … → /plans?start=night',
      'Look at the 1,204 failed records, to send them again → /failures?mapping=trips',
    ]);
    TestBed.resetTestingModule();
    expect(shown(state, { openFailures: 1 }).links).toEqual([
      'Make a plan of it → /plans?of=trips',
      'Look at the 1 failed record, to send them again → /failures?mapping=trips',
    ]);
    TestBed.resetTestingModule();
    expect(shown(state, { record: 17, openFailures: 1 }).links).toEqual([
      'Back to the failed record → /failures?mapping=trips&record=17',
      'Make a plan of it → /plans?of=trips',
    ]);
  });
});
