import { TestBed } from '@angular/core/testing';
import { provideMockActions } from '@ngrx/effects/testing';
import { provideStore, Store } from '@ngrx/store';
import type { MappingDetail } from '@versicle/contract';
import { changeLine, parseDocument } from '@versicle/core';
import { Subject } from 'rxjs';
import { frameFeature } from '../frame/frame.feature';
import { SheetKeeper } from './sheet-keeper';
import { sheetActions as a } from './sheet.actions';
import { sheetFeature } from './sheet.feature';

const document_ = parseDocument({
  versicle: 1,
  name: 'Trips',
  source: { primary: { alias: 't', dataset: 'x/y' } },
  target: { dataset: 'a/b', fields: [{ name: 'no', type: 'text' }] },
  lines: [{ id: 'l1', target: 'no', kind: 'straight', source: 't.no' }],
});
const detail = { id: 'trips', document: document_, version: 3, changedLines: [] } as unknown as MappingDetail;
const edited = changeLine(document_, 'l1', { source: 't.other' });

describe('leaving a sheet', () => {
  let actions: Subject<unknown>;
  let store: Store;
  let keeper: SheetKeeper;
  beforeEach(() => {
    jest.useFakeTimers();
    actions = new Subject();
    TestBed.configureTestingModule({
      providers: [
        provideStore({ [sheetFeature.name]: sheetFeature.reducer, [frameFeature.name]: frameFeature.reducer }),
        provideMockActions(() => actions as never),
      ],
    });
    store = TestBed.inject(Store);
    keeper = TestBed.inject(SheetKeeper);
  });
  afterEach(() => jest.useRealTimers());
  const open = (): void => {
    store.dispatch(a.opened({ id: 'trips', record: null, line: null }));
    store.dispatch(a.loaded({ detail }));
  };
  const edit = (): void => store.dispatch(a.edited({ document: edited, merge: null }));
  /** As the store hears it, and whoever listens to actions. */
  const heard = (action: ReturnType<typeof a.saveFailed> | ReturnType<typeof a.othersLoaded>): void => {
    store.dispatch(action);
    actions.next(action);
  };
  const notice = (): string | undefined => store.selectSignal(frameFeature.selectNotice)()?.text;

  it('goes at once where nothing is open, and where everything is saved', async () => {
    await expect(keeper.settled()).resolves.toBe(true);
    open();
    await expect(keeper.settled()).resolves.toBe(true);
    expect(notice()).toBeUndefined();
  });
  it('waits for the save, and goes then', async () => {
    open();
    edit();
    const settled = keeper.settled();
    await jest.advanceTimersByTimeAsync(500);
    store.dispatch(a.saved({ saved: { version: 4, changedLines: [], updatedAt: '' }, document: edited }));
    await expect(settled).resolves.toBe(true);
  });
  it('stays, and says why, where the save fails', async () => {
    open();
    edit();
    const settled = keeper.settled();
    await jest.advanceTimersByTimeAsync(10);
    heard(a.saveFailed({ problem: 'The disk is full.', conflict: false }));
    await expect(settled).resolves.toBe(false);
    expect(notice()).toBe('Your last edits are not saved, so the sheet stays open: The disk is full.');
  });
  it('stays where the server does not answer in time', async () => {
    open();
    edit();
    const settled = keeper.settled();
    await jest.advanceTimersByTimeAsync(8100);
    await expect(settled).resolves.toBe(false);
    expect(notice()).toMatch(/the server has not answered yet/);
  });
  it('stays where somebody has to choose, and goes on waiting where both sides came together', async () => {
    open();
    edit();
    const settled = keeper.settled();
    await jest.advanceTimersByTimeAsync(10);
    heard(a.saveFailed({ problem: 'changed', conflict: true }));
    const theirs = { ...detail, version: 4, document: changeLine(document_, 'l1', { source: 't.theirs' }) };
    heard(a.othersLoaded({ detail: theirs, arrived: null }));
    await expect(settled).resolves.toBe(false);
    expect(notice()).toMatch(/you have to choose first/);
    // And at once when it is asked again.
    await expect(keeper.settled()).resolves.toBe(false);
  });
  it('commits what is being typed first', async () => {
    open();
    const input = globalThis.document.createElement('input');
    globalThis.document.body.append(input);
    input.addEventListener('blur', edit);
    input.focus();
    const settled = keeper.settled();
    await jest.advanceTimersByTimeAsync(10);
    expect(store.selectSignal(sheetFeature.selectSaving)()).toBe('waiting');
    store.dispatch(a.saved({ saved: { version: 4, changedLines: [], updatedAt: '' }, document: edited }));
    await expect(settled).resolves.toBe(true);
    input.remove();
  });
});
