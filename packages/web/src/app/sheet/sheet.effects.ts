import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import type { FailedRecordDetail, MappingSample, SampleRow } from '@versicle/contract';
import { changedBack, lineEvents, sampleKey } from '@versicle/core';
import { frameActions } from '../frame/frame.feature';
import {
  catchError,
  concatMap,
  connect,
  debounce,
  debounceTime,
  EMPTY,
  filter,
  first,
  forkJoin,
  from,
  map,
  merge,
  of,
  startWith,
  switchMap,
  takeUntil,
  tap,
  timer,
  type Observable,
} from 'rxjs';
import { Api, type ServerProblem } from '../shared/api';
import { request } from '../shared/request';
import { foundBehind, nothingBehind, type SentSave } from './left-behind';
import { page } from './presence';
import { sheetActions as a, type Samples } from './sheet.actions';
import { sheetFeature } from './sheet.feature';
import { unsaved } from './state/draft';
import { TrialService } from './trial.service';

/** Results that take longer than this, in milliseconds, are said to be on their way. */
const LATE = 1500;

export const load = request(a.opened, 'getMapping', 'newest', {
  call: ({ id }) => ({ params: { id } }),
  done: (detail) => a.loaded({ detail }),
  failed: (problem) => a.failed({ problem }),
});

/** Sample records: the failed record that the sheet was opened for, then the first records of the source set. */
export const loadSamples = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.loaded, a.samplesOutdated),
      concatLatestFrom(() => store.select(sheetFeature.selectSheetState)),
      switchMap(([, { id, record, stored }]) => {
        const key = sampleKey(stored!);
        const failed: Observable<FailedRecordDetail | null> =
          record === null
            ? of(null)
            : api.call('getFailure', { params: { id: record } }).pipe(catchError(() => of(null)));
        return failed.pipe(
          switchMap((f) =>
            api
              .call('getSample', { params: { id } })
              .pipe(map((sample) => a.samplesLoaded({ samples: samplesOf(sample, f, key) }))),
          ),
          catchError((error: ServerProblem) => of(a.samplesFailed({ problem: error.message }))),
        );
      }),
    ),
  { functional: true },
);
/** What is stored makes other records than those that are shown; also where it changed while they were fetched. */
export const refreshSamples = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(a.saved, a.samplesLoaded),
      concatLatestFrom(() => store.select(sheetFeature.selectSheetState)),
      filter(
        ([, { samples, stored }]) =>
          samples.state !== 'loading' && stored !== null && samples.value?.key !== sampleKey(stored),
      ),
      map(() => a.samplesOutdated()),
    ),
  { functional: true },
);

function samplesOf(sample: MappingSample, failed: FailedRecordDetail | null, key: string): Samples {
  const { fields, declared, declaredBy, composed, variables } = sample;
  const keyMaps = new Map(Object.entries(sample.keyMaps).map(([name, keys]) => [name, new Map(keys)]));
  const marks = composed === null ? declared : new Map(Object.entries(declaredBy));
  const taken = { fields, marks, composed, key, keyMaps, variables };
  if (failed === null || failed.cause === 'source_unreadable') return { ...taken, rows: sample.rows, failed: null };
  const first = sampleOf(failed, fields);
  return { ...taken, rows: [first, ...sample.rows], failed: { id: failed.id, label: failed.label } };
}

/** A failed record as it was read. */
function sampleOf(failed: FailedRecordDetail, fields: readonly string[]): SampleRow {
  const values = new Map(failed.source.map((v) => [v.name, v.value]));
  return { row: failed.row, file: failed.file, values: fields.map((f) => values.get(f) ?? null), problem: null };
}

const FAILED_SAMPLES = 40;

/** The source records of this mapping's open failed records. */
export const loadFailedSamples = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.sampleSetChosen),
      filter(({ from }) => from === 'failed'),
      concatLatestFrom(() => store.select(sheetFeature.selectSheetState)),
      switchMap(([, { id, samples }]) =>
        api.call('listFailures', { query: { mapping: id } }).pipe(
          switchMap((failed) =>
            failed.length === 0
              ? of([])
              : forkJoin(failed.slice(0, FAILED_SAMPLES).map((f) => api.call('getFailure', { params: { id: f.id } }))),
          ),
          map((records) =>
            a.failedSamplesLoaded({
              rows: records
                .filter((r) => r.cause !== 'source_unreadable')
                .map((r) => sampleOf(r, samples.value?.fields ?? [])),
            }),
          ),
          catchError((error: ServerProblem) => of(a.failedSamplesFailed({ problem: error.message }))),
        ),
      ),
    ),
  { functional: true },
);

export const tryOut = createEffect(
  (actions = inject(Actions), store = inject(Store), trial = inject(TrialService)) =>
    actions.pipe(
      ofType(
        a.loaded,
        a.samplesLoaded,
        a.failedSamplesLoaded,
        a.edited,
        a.undone,
        a.redone,
        a.sampleChosen,
        a.sampleSetChosen,
        a.recordGiven,
        a.lineOpened,
      ),
      debounceTime(15),
      concatLatestFrom(() => [
        store.select(sheetFeature.selectSheetState),
        store.select(sheetFeature.selectSampleRows),
      ]),
      switchMap(([, s, rows]) => {
        const samples = s.samples.value;
        if (s.document === null || samples === null) return EMPTY;
        return trial
          .try({
            document: s.document,
            fields: samples.fields,
            marks: samples.marks,
            keyMaps: samples.keyMaps,
            variables: samples.variables,
            rows,
            sample: s.sample,
            line: s.open,
          })
          .pipe(
            map((answer) => a.tried({ answer })),
            catchError((error: Error) => of(a.tryFailed({ problem: error.message }))),
            connect((answer) =>
              merge(
                answer,
                timer(LATE).pipe(
                  map(() => a.trying()),
                  takeUntil(answer),
                ),
              ),
            ),
          );
      }),
    ),
  { functional: true },
);

/** An edit that takes a signature away says so. */
export const unsigned = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(a.edited),
      concatLatestFrom(() => store.select(sheetFeature.selectSheetState)),
      map(([{ document }, { past }]) => {
        const step = past.at(-1);
        const events = step ? lineEvents(changedBack(document, step), document) : [];
        return events.flatMap((e) => {
          const lost = e.what === 'state' && e.parts.some((p) => p.before === 'agreed' && p.after === 'drafted');
          const edited = lost && events.some((o) => o.line === e.line && o.what === 'edited');
          return edited ? [document.lines.findIndex((l) => l.id === e.line) + 1] : [];
        });
      }),
      filter((lines) => lines.length > 0),
      map((lines) => {
        const [which, are] =
          lines.length === 1
            ? [$localize`Line`, $localize`was agreed; edited, it is a draft`]
            : [$localize`Lines`, $localize`were agreed; edited, they are drafts`];
        return frameActions.say({
          text: $localize`${which} ${lines.slice(0, 8).join(', ')} ${are} again.`,
          problem: false,
        });
      }),
    ),
  { functional: true },
);

/** Drafts save themselves; one save after the other, each from the version that the last one gave. */
export const save = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.edited, a.undone, a.redone, a.saveAgain, a.saveNow, a.othersLoaded, a.leftBehind, a.clashSettled),
      debounce((action) => timer(action.type === a.saveNow.type ? 0 : 400)),
      concatMap((action) => of(action).pipe(concatLatestFrom(() => store.select(sheetFeature.selectSheetState)))),
      concatMap(([, s]) => {
        const { id, document, version, saving } = s;
        if (document === null || !unsaved(s, document) || saving === 'conflict') return EMPTY;
        const save = crypto.randomUUID();
        return api
          .asAction(
            'saveDraft',
            { params: { id }, body: { document, version, save } },
            (saved) => a.saved({ saved, document }),
            (problem, error) => a.saveFailed({ problem, conflict: error.status === 409 }),
          )
          .pipe(startWith(a.sending({ sent: { save, document } })));
      }),
    ),
  { functional: true },
);

/** The one save among these that arrived, if any did. */
function arrivedOf(api: Api, id: string, sent: readonly SentSave[]): Observable<SentSave | null> {
  return from(sent).pipe(
    concatMap((one) =>
      api.call('arrivedSave', { params: { id, save: one.save } }).pipe(map((answer) => (answer.arrived ? one : null))),
    ),
    first((one) => one !== null, null),
  );
}

/**
 * What pages of this browser left before it was saved is brought back, one after the other. What did arrive is no edit any
 * more: others may have taken it back meanwhile, on purpose.
 */
export const bringBack = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.loaded, a.leftSettled),
      concatLatestFrom(() => store.select(sheetFeature.selectId)),
      switchMap(([, id]) => {
        const left = foundBehind(id);
        if (left === null) return EMPTY;
        const arrived = (save: string): Observable<boolean> =>
          api.call('arrivedSave', { params: { id, save } }).pipe(map((answer) => answer.arrived));
        return arrived(left.save).pipe(
          switchMap((all) => {
            if (all) {
              nothingBehind(id, left.key);
              return of(a.leftSettled());
            }
            return arrivedOf(api, id, left.unheard).pipe(
              map((part) => (part === null ? left : { ...left, base: part.document })),
              // What is edited meanwhile is saved first.
              switchMap((edits) =>
                store.select(sheetFeature.selectSaving).pipe(
                  first((saving) => saving === 'saved'),
                  map(() => a.leftBehind({ left: edits })),
                ),
              ),
            );
          }),
          catchError((error: ServerProblem) =>
            of(
              frameActions.say({
                text: $localize`What was not saved yet when the page was left is kept, but could not be brought back: ${error.message}`,
                problem: true,
              }),
            ),
          ),
        );
      }),
    ),
  { functional: true },
);
export const tellBroughtBack = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(a.leftBehind),
      concatLatestFrom(() => store.select(sheetFeature.selectSheetState)),
      filter(([, { saving }]) => saving === 'waiting'),
      map(() =>
        frameActions.say({ text: $localize`What was not saved yet when the page was left is back.`, problem: false }),
      ),
    ),
  { functional: true },
);
/** It is kept until everything is saved. */
export const forget = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(a.leftBehind, a.saved, a.editsDropped, a.clashSettled, a.othersLoaded),
      concatLatestFrom(() => store.select(sheetFeature.selectSheetState)),
      filter(([, { saving }]) => saving === 'saved'),
      tap(([, { id, bringing }]) => {
        nothingBehind(id);
        if (bringing !== null) nothingBehind(id, bringing);
      }),
      filter(([, { bringing }]) => bringing !== null),
      map(() => a.leftSettled()),
    ),
  { functional: true },
);

/** Whoever was slower, or hears that somebody else saved, brings both together. */
export const mergeOthers = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.saveFailed, frameActions.told, frameActions.connected),
      concatLatestFrom(() => store.select(sheetFeature.selectSheetState)),
      filter(([action, { id, document, clash }]) => {
        if (document === null || clash !== null) return false;
        if (action.type === a.saveFailed.type) return action.conflict;
        return (
          action.type === frameActions.connected.type || (action.event.type === 'mapping' && action.event.id === id)
        );
      }),
      switchMap(([, { id }]) =>
        api.call('getMapping', { params: { id } }).pipe(
          // Asked afterwards: what arrived by then is in what was loaded, or it would not have been newer.
          concatLatestFrom(() => store.select(sheetFeature.selectUnheard)),
          switchMap(([detail, unheard]) =>
            arrivedOf(api, id, unheard).pipe(map((sent) => a.othersLoaded({ detail, arrived: sent?.save ?? null }))),
          ),
          catchError((error: ServerProblem) =>
            store.select(sheetFeature.selectSaving).pipe(
              first(),
              // Where nothing waits to be saved, it is loaded when the connection is there again, or the next edit is saved.
              filter((saving) => saving !== 'saved'),
              map(() => a.saveFailed({ problem: error.message, conflict: false })),
            ),
          ),
        ),
      ),
    ),
  { functional: true },
);

/** Others see that this sheet is open, and on which line. */
let here = '';
export const sayHere = createEffect(
  (actions = inject(Actions), store = inject(Store), api = inject(Api)) =>
    actions.pipe(
      ofType(a.loaded, a.left),
      switchMap((action) =>
        action.type === a.left.type
          ? api.call('amHere', { params: { id: here }, body: { page, line: null, left: true } }).pipe(
              switchMap(() => EMPTY),
              catchError(() => EMPTY),
            )
          : merge(timer(0, 10_000), actions.pipe(ofType(a.lineOpened))).pipe(
              concatLatestFrom(() => store.select(sheetFeature.selectSheetState)),
              filter(([, { id }]) => id !== ''),
              tap(([, { id }]) => (here = id)),
              switchMap(([, { id, open }]) =>
                api.call('amHere', { params: { id }, body: { page, line: open, left: false } }).pipe(
                  map((people) => a.peopleTold({ people: people.filter((p) => p.page !== page) })),
                  // Who else is there is told by the next sign of life.
                  catchError(() => EMPTY),
                ),
              ),
            ),
      ),
    ),
  { functional: true },
);
export const hearPeople = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(frameActions.told),
      concatLatestFrom(() => store.select(sheetFeature.selectId)),
      filter(([{ event }, id]) => event.type === 'present' && event.mapping === id),
      map(([{ event }]) =>
        a.peopleTold({ people: event.type === 'present' ? event.people.filter((p) => p.page !== page) : [] }),
      ),
    ),
  { functional: true },
);

/** What publishing would change is shown while it is thought about; the first revision changes nothing. */
export const compare = request([a.publishAsked, a.saved], 'difference', 'newest', {
  from: sheetFeature.selectSheetState,
  call: (_, { id, publishing, detail }) => {
    const revision = detail.value?.revision ?? null;
    if (publishing === null || publishing.done !== null || revision === null) return null;
    return { params: { id }, query: { from: String(revision), to: 'draft' } };
  },
  done: (difference) => a.differenceLoaded({ difference }),
  failed: (problem) => a.publishFailed({ problem, faults: [] }),
});

/** They are made from the draft as it is stored. */
export const suggest = request([a.suggestionsAsked, a.saved], 'suggestLines', 'newest', {
  from: sheetFeature.selectSheetState,
  call: (_, { id, suggestions, saving }) => (suggestions === null || saving !== 'saved' ? null : { params: { id } }),
  done: (suggestions) => a.suggestionsLoaded({ suggestions }),
  failed: (problem) => a.suggestionsFailed({ problem }),
});

export const publish = request(a.publish, 'publish', 'once', {
  from: sheetFeature.selectId,
  call: ({ note }, id) => ({ params: { id }, body: { note } }),
  done: (revision) => a.published({ revision }),
  failed: (problem, _, error) => a.publishFailed({ problem, faults: error.faults }),
});
