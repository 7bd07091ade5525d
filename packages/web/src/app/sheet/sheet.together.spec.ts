import {
  HttpErrorResponse,
  HttpResponse,
  provideHttpClient,
  withInterceptors,
  type HttpRequest,
} from '@angular/common/http';
import { provideZonelessChangeDetection } from '@angular/core';
import { createApplication } from '@angular/platform-browser';
import { provideEffects } from '@ngrx/effects';
import { provideStore, Store } from '@ngrx/store';
import type { MappingDetail } from '@versicle/contract';
import { changeLine, parseDocument, type MappingDocument } from '@versicle/core';
import * as fc from 'fast-check';
import { map, switchMap, throwError, timer, type Observable } from 'rxjs';
import { frameActions, frameFeature } from '../frame/frame.feature';
import * as effects from './sheet.effects';
import { sheetActions as a } from './sheet.actions';
import { sheetFeature, type SheetState } from './sheet.feature';

// The results of rules come from a worker, which this is not about.
jest.mock('./trial.service', () => ({ TrialService: class {} }));

/**
 * Two sheets on one mapping, with the real store and the real effects, and a server whose answers come late, get lost or
 * never come: whatever happens in between, in the end all have the same document, and nobody's edit is gone.
 */

const IDS = ['l1', 'l2', 'l3'];
const first = parseDocument({
  versicle: 1,
  name: 'Trips',
  source: { primary: { alias: 't', dataset: 'files/trips.csv' } },
  target: { dataset: 'store/trip', key: ['f1'], fields: ['f1', 'f2', 'f3'].map((name) => ({ name, type: 'text' })) },
  lines: IDS.map((id, i) => ({ id, target: `f${i + 1}`, kind: 'rule', rule: "'first'" })),
});

type Fate = 'soon' | 'late' | 'lost before' | 'lost after';
const copied = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;
const LOST = new HttpErrorResponse({ status: 0 });

/** As the server keeps a draft: a save is taken when it knows the newest version. */
class Draft {
  document = first;
  version = 1;
  readonly saves = new Set<string>();
  fate: Fate = 'soon';
  /** How often a save was taken. */
  taken = 0;

  get detail(): MappingDetail {
    return {
      id: 'trips',
      document: this.document,
      version: this.version,
      revision: null,
      publishedAt: null,
      publishedBy: null,
      changedLines: [],
      failures: [],
      openFailures: 0,
      plan: null,
      updatedAt: '',
    };
  }
  answer(request: HttpRequest<unknown>): Observable<HttpResponse<unknown>> {
    const { fate } = this;
    const there = fate === 'late' ? 900 : 5;
    if (fate === 'lost before') return timer(there).pipe(switchMap(() => throwError(() => LOST)));
    return timer(there).pipe(
      map(() => this.take(request)),
      switchMap((body) => timer(there).pipe(map(() => body))),
      switchMap((body) => {
        if (fate === 'lost after') return throwError(() => LOST);
        return body === 409
          ? throwError(() => new HttpErrorResponse({ status: 409, error: { detail: 'Somebody else saved.' } }))
          : timer(0).pipe(map(() => new HttpResponse({ status: 200, body: copied(body) })));
      }),
    );
  }
  private take(request: HttpRequest<unknown>): unknown {
    const { url, method } = request;
    if (method === 'PUT') {
      const { document, version, save } = request.body as { document: MappingDocument; version: number; save: string };
      if (version !== this.version) return 409;
      this.document = copied(document);
      this.version++;
      this.taken++;
      this.saves.add(save);
      return { version: this.version, changedLines: [], updatedAt: '' };
    }
    const arrived = /\/saves\/(.+)$/.exec(url);
    return arrived ? { arrived: this.saves.has(arrived[1]!) } : this.detail;
  }
}

interface Sheet {
  readonly store: Store;
  state(): SheetState;
  leave(): void;
}
async function openSheet(draft: Draft): Promise<Sheet> {
  const { load, save, mergeOthers, bringBack, tellBroughtBack, forget, unsigned } = effects;
  const application = await createApplication({
    providers: [
      provideZonelessChangeDetection(),
      provideStore(
        { [sheetFeature.name]: sheetFeature.reducer, [frameFeature.name]: frameFeature.reducer },
        { runtimeChecks: { strictStateImmutability: true, strictActionImmutability: true } },
      ),
      provideEffects({ load, save, mergeOthers, bringBack, tellBroughtBack, forget, unsigned }),
      provideHttpClient(withInterceptors([(request) => draft.answer(request)])),
    ],
  });
  const store = application.injector.get(Store);
  store.dispatch(a.opened({ id: 'trips', record: null, line: null }));
  const state = store.selectSignal(sheetFeature.selectSheetState);
  return { store, state, leave: () => application.destroy() };
}
const ruleOf = (document: MappingDocument, id: string): string => document.lines.find((l) => l.id === id)!.rule!;
const pass = (ms: number): Promise<void> => jest.advanceTimersByTimeAsync(ms);
const write = (sheet: Sheet, id: string, rule: string): void =>
  sheet.store.dispatch(a.edited({ document: changeLine(sheet.state().document!, id, { rule }), merge: null }));

/** Everything is let through, and the person decides where asked and says “save again” where it failed. */
async function settle(draft: Draft, sheets: readonly Sheet[], mine: boolean): Promise<void> {
  draft.fate = 'soon';
  for (let round = 0; round < 12; round++) {
    await pass(3000);
    for (const { store, state } of sheets) {
      const { clash, saving } = state();
      if (clash !== null) store.dispatch(a.clashSettled({ mine: mine ? clash.clashes.map((c) => c.what) : [] }));
      else if (saving === 'failed') store.dispatch(a.saveAgain());
      await pass(600);
    }
    // The connection is there again for everybody.
    for (const { store } of sheets) store.dispatch(frameActions.connected());
  }
}

type Step =
  | { readonly do: 'write'; readonly who: number; readonly line: string }
  | { readonly do: 'undo' | 'redo' | 'hear'; readonly who: number }
  | { readonly do: 'wait'; readonly ms: number }
  | { readonly do: 'fate'; readonly fate: Fate };
const who = fc.integer({ min: 0, max: 1 });
const step: fc.Arbitrary<Step> = fc.oneof(
  { weight: 5, arbitrary: fc.record({ do: fc.constant('write' as const), who, line: fc.constantFrom(...IDS) }) },
  { weight: 2, arbitrary: fc.record({ do: fc.constantFrom('undo' as const, 'redo' as const, 'hear' as const), who }) },
  { weight: 4, arbitrary: fc.record({ do: fc.constant('wait' as const), ms: fc.constantFrom(1, 12, 200, 420, 1500) }) },
  {
    weight: 2,
    arbitrary: fc.record({
      do: fc.constant('fate' as const),
      fate: fc.constantFrom<Fate>('soon', 'late', 'lost before', 'lost after'),
    }),
  },
);

describe('two sheets on one mapping', () => {
  beforeEach(() => {
    localStorage.clear();
    jest.useFakeTimers();
  });
  afterEach(() => jest.useRealTimers());

  it('end with one document, and with everybody’s edits', async () => {
    let n = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 25 }), fc.boolean(), async (steps, mine) => {
        const draft = new Draft();
        const sheets = [await openSheet(draft), await openSheet(draft)];
        await pass(50);
        /** Who ever changed what stands on a line, and all that was ever written there. */
        const touched = new Map(IDS.map((id) => [id, new Set<number>()]));
        const written = new Map(IDS.map((id) => [id, new Set(["'first'"])]));
        for (const s of steps) {
          if (s.do === 'wait') await pass(s.ms);
          else if (s.do === 'fate') draft.fate = s.fate;
          else {
            const sheet = sheets[s.who]!;
            const before = sheet.state().document!;
            if (s.do === 'write') {
              const rule = `'${s.who}/${n++}'`;
              write(sheet, s.line, rule);
              written.get(s.line)!.add(rule);
            } else if (s.do === 'undo') sheet.store.dispatch(a.undone());
            else if (s.do === 'redo') sheet.store.dispatch(a.redone());
            else sheet.store.dispatch(frameActions.told({ event: { type: 'mapping', id: 'trips' } as never }));
            for (const id of IDS)
              if (ruleOf(sheet.state().document!, id) !== ruleOf(before, id)) touched.get(id)!.add(s.who);
          }
        }
        const shown = sheets.map((s) => s.state().document!);
        await settle(draft, sheets, mine);
        for (const { state } of sheets) {
          expect([state().saving, state().clash]).toEqual(['saved', null]);
          expect(IDS.map((id) => ruleOf(state().document!, id))).toEqual(IDS.map((id) => ruleOf(draft.document, id)));
        }
        for (const id of IDS) {
          const end = ruleOf(draft.document, id);
          expect([...written.get(id)!]).toContain(end);
          const [only, another] = [...touched.get(id)!];
          if (only === undefined) expect(end).toBe("'first'");
          else if (another === undefined) expect(end).toBe(ruleOf(shown[only]!, id));
        }
        for (const sheet of sheets) sheet.leave();
      }),
      { numRuns: 25 },
    );
  });

  it('an edit whose answer got lost is no clash with oneself', async () => {
    const draft = new Draft();
    const sheet = await openSheet(draft);
    await pass(50);
    draft.fate = 'lost after';
    write(sheet, 'l1', "'one'");
    await pass(600);
    expect([draft.taken, sheet.state().saving]).toEqual([1, 'failed']);
    draft.fate = 'soon';
    write(sheet, 'l1', "'two'");
    await pass(2000);
    expect([sheet.state().clash, sheet.state().saving]).toEqual([null, 'saved']);
    expect(ruleOf(draft.document, 'l1')).toBe("'two'");
    sheet.leave();
  });

  it('an edit that was taken back while its save got lost is taken back on the server, too', async () => {
    const draft = new Draft();
    const sheet = await openSheet(draft);
    await pass(50);
    draft.fate = 'lost after';
    write(sheet, 'l1', "'one'");
    await pass(600);
    draft.fate = 'soon';
    sheet.store.dispatch(a.undone());
    await pass(2000);
    expect([sheet.state().clash, sheet.state().saving, ruleOf(draft.document, 'l1')]).toEqual([
      null,
      'saved',
      "'first'",
    ]);
    sheet.leave();
  });

  it('a line that both changed is asked about, with both texts', async () => {
    const draft = new Draft();
    const sheets = [await openSheet(draft), await openSheet(draft)];
    await pass(50);
    write(sheets[0]!, 'l1', "'mine'");
    write(sheets[1]!, 'l1', "'theirs'");
    await pass(2000);
    const asked = sheets.filter((s) => s.state().clash !== null);
    expect(asked).toHaveLength(1);
    const [clash] = asked[0]!.state().clash!.clashes;
    expect([clash!.mine, clash!.theirs].sort()).toEqual(["rule: 'mine'", "rule: 'theirs'"]);
    for (const sheet of sheets) sheet.leave();
  });

  it('nothing is sent where nothing was changed, or was taken back before it was sent', async () => {
    const draft = new Draft();
    const sheet = await openSheet(draft);
    await pass(50);
    write(sheet, 'l1', "'one'");
    sheet.store.dispatch(a.undone());
    await pass(2000);
    expect([draft.taken, sheet.state().saving, ruleOf(draft.document, 'l1')]).toEqual([0, 'saved', "'first'"]);
    sheet.leave();
  });
});
