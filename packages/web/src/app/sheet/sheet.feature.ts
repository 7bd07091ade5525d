import type {
  Difference,
  MappingDetail,
  MappingSample,
  PresentPerson,
  Revision,
  SampleRow,
  SavedDraft,
} from '@versicle/contract';
import {
  changeBetween,
  changed,
  changedBack,
  type DocumentChange,
  exampleValues,
  mergeDocuments,
  withAllLines,
  type Clash,
  type MappingDocument,
  type DeclaredMarks,
  type KeyMaps,
  type Suggestion,
} from '@versicle/core';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { failed, idle, loaded, loading, type Loadable } from '../shared/loadable';
import type { FoundBehind, SentSave } from './left-behind';
import { rowsOf } from './rows';
import type { TrialAnswer } from './trial-messages';

export interface Samples {
  readonly fields: readonly string[];
  readonly rows: readonly SampleRow[];
  /** How the source set's datasets declare their numbers and dates to be written. */
  readonly marks: DeclaredMarks;
  /** What mapped_key() finds. */
  readonly keyMaps: KeyMaps;
  /** What plans give to rules. */
  readonly variables: Readonly<Record<string, string>>;
  /** How the first rows became records, where the source set is composed. */
  readonly composed: MappingSample['composed'];
  /** The source set that they are of. */
  readonly key: string;
  /** The failed record that stands first, when the sheet was opened for it. */
  readonly failed: { readonly id: number; readonly label: string } | null;
}

/** The first records of the source, records that failed, or the examples of the document. */
export type SampleSet = 'source' | 'failed' | 'examples';

export const sheetActions = createActionGroup({
  source: 'Sheet',
  events: {
    opened: props<{ id: string; record: number | null; line: string | null }>(),
    loaded: props<{ detail: MappingDetail }>(),
    failed: props<{ problem: string }>(),
    'samples loaded': props<{ samples: Samples }>(),
    /** The source set changed: other records come of it. */
    'samples outdated': emptyProps(),
    'samples failed': props<{ problem: string }>(),
    'sample chosen': props<{ index: number }>(),
    /** Where the sample records come from; `index`: the one to begin with. */
    'sample set chosen': props<{ from: SampleSet; index: number }>(),
    'failed samples loaded': props<{ rows: readonly SampleRow[] }>(),
    'failed samples failed': props<{ problem: string }>(),
    /** A record from elsewhere, to be the sample; `fields` names its values. */
    'record given': props<{ fields: readonly string[]; record: SampleRow }>(),
    'line opened': props<{ line: string | null }>(),
    /** `merge`: edits of the same thing that follow one another are one step of undo. */
    edited: props<{ document: MappingDocument; merge: string | null }>(),
    undone: emptyProps(),
    redone: emptyProps(),
    /** No answer so far: what is shown is of the version before. */
    trying: emptyProps(),
    tried: props<{ answer: TrialAnswer }>(),
    'try failed': props<{ problem: string }>(),
    saved: props<{ saved: SavedDraft; document: MappingDocument }>(),
    sending: props<{ sent: SentSave }>(),
    'save failed': props<{ problem: string; conflict: boolean }>(),
    'save again': emptyProps(),
    /** Without the pause that collects quick edits. */
    'save now': emptyProps(),
    /** Edits that this browser kept when it left the page before they were saved. */
    'left behind': props<{ left: FoundBehind }>(),
    /** They are saved, were saved already, or are given up. */
    'left settled': emptyProps(),
    /** Somebody else saved the draft: what the server has now. */
    /** `arrived`: the save of this page, among those that nobody heard of, that is in it. */
    'others loaded': props<{ detail: MappingDetail; arrived: string | null }>(),
    /** For each thing that both changed: whether this side's is kept. */
    'clash settled': props<{ mine: readonly string[] }>(),
    'people told': props<{ people: readonly PresentPerson[] }>(),
    /** The edits that could not be saved are thrown away on purpose. */
    'edits dropped': emptyProps(),
    'suggestions asked': emptyProps(),
    'suggestions loaded': props<{ suggestions: Suggestion[] }>(),
    'suggestions failed': props<{ problem: string }>(),
    'suggestions closed': emptyProps(),
    'publish asked': emptyProps(),
    'publish given up': emptyProps(),
    'difference loaded': props<{ difference: Difference }>(),
    publish: props<{ note: string }>(),
    published: props<{ revision: Revision }>(),
    'publish failed': props<{ problem: string; faults: readonly { path: string; message: string }[] }>(),
    left: emptyProps(),
  },
});

interface Publishing {
  readonly difference: Loadable<Difference>;
  readonly busy: boolean;
  readonly problem: string | null;
  readonly faults: readonly { path: string; message: string }[];
  readonly done: Revision | null;
}

export interface SheetState {
  readonly id: string;
  readonly detail: Loadable<MappingDetail>;
  readonly document: MappingDocument | null;
  /** The document as the server has it. */
  readonly stored: MappingDocument | null;
  readonly version: number;
  readonly changedLines: readonly string[];
  readonly saving: 'saved' | 'waiting' | 'failed' | 'conflict';
  readonly saveProblem: string | null;
  /** Saves that were sent, and of which nobody has heard whether they arrived; at most one of them did. */
  readonly unheard: readonly SentSave[];
  /** What an earlier page of this browser left, while it is being saved. */
  readonly bringing: string | null;
  /** What two people changed in different ways since they had the same; what the server has is kept with it. */
  readonly clash: { readonly clashes: readonly Clash[]; readonly detail: MappingDetail } | null;
  /** Pages that have this sheet open. */
  readonly people: readonly PresentPerson[];
  /** Steps of undo, the newest last, and of redo, the next one first: each only what it changed. */
  readonly past: readonly DocumentChange[];
  readonly future: readonly DocumentChange[];
  readonly merge: string | null;
  readonly samples: Loadable<Samples>;
  readonly sampleSet: SampleSet;
  /** Source records of failed records, once they were asked for. */
  readonly failedSamples: Loadable<readonly SampleRow[]>;
  /** Index within the set. */
  readonly sample: number;
  readonly record: number | null;
  readonly open: string | null;
  readonly trial: TrialAnswer | null;
  /** What is to be said of the results: that they are late, or why there are none. */
  readonly trouble: { readonly words: string; readonly isProblem: boolean } | null;
  readonly publishing: Publishing | null;
  /** What could fill the lines to map; null while nobody asked. */
  readonly suggestions: Loadable<Suggestion[]> | null;
}
const initial: SheetState = {
  id: '',
  detail: idle(),
  document: null,
  stored: null,
  version: 0,
  changedLines: [],
  saving: 'saved',
  saveProblem: null,
  clash: null,
  unheard: [],
  bringing: null,
  people: [],
  past: [],
  future: [],
  merge: null,
  samples: idle(),
  sampleSet: 'source',
  failedSamples: idle(),
  sample: 0,
  record: null,
  open: null,
  trial: null,
  trouble: null,
  publishing: null,
  suggestions: null,
};
const UNDO_STEPS = 200;

const sampleRows = createSelector(
  (s: SheetState) => s.samples,
  (s: SheetState) => s.sampleSet,
  (s: SheetState) => s.failedSamples,
  (s: SheetState) => s.document?.examples,
  (s: SheetState) => s.document?.source.primary.alias ?? '',
  (samples, set, failedSamples, examples, primary): readonly SampleRow[] => {
    if (set === 'failed') return failedSamples.value ?? [];
    if (set === 'source') return samples.value?.rows ?? [];
    const fields = samples.value?.fields ?? [];
    return (examples ?? []).map((example, i) => ({
      row: i + 1,
      file: example.file ?? null,
      values: [...exampleValues(example, fields, primary)],
      problem: null,
    }));
  },
);

/** Whether there is something to save; a save that nobody heard of may have stored what was taken back since. */
export function unsaved(s: SheetState, document: MappingDocument | null): boolean {
  return document !== s.stored || s.unheard.length > 0;
}
function show(s: SheetState, document: MappingDocument): SheetState {
  return {
    ...s,
    document,
    saving: s.saving === 'conflict' ? 'conflict' : unsaved(s, document) ? 'waiting' : 'saved',
    publishing: s.publishing?.done ? null : s.publishing,
  };
}

/** What others saved and what was edited here, brought together; steps of undo are brought along, so that they take back only what is ours. */
function merged(s: SheetState, detail: MappingDetail, mine: readonly string[]): SheetState {
  const base = s.stored!;
  const theirs = withAllLines(detail.document);
  const over = (document: MappingDocument): MappingDocument =>
    mergeDocuments(base, document, theirs, (what) => mine.includes(what)).document;
  const document = s.document === base ? theirs : over(s.document!);
  const same = JSON.stringify(document) === JSON.stringify(theirs);
  return {
    ...s,
    detail: loaded(detail),
    document: same ? theirs : document,
    stored: theirs,
    version: detail.version,
    changedLines: detail.changedLines,
    saving: same ? 'saved' : 'waiting',
    saveProblem: null,
    unheard: [],
    clash: null,
    ...broughtAlong(s, over),
    merge: null,
  };
}
const UNDO_AFTER_MERGE = 30;
/** The steps of undo and redo over what both sides have now: each state that they lead to takes the others' changes in. */
function broughtAlong(
  s: SheetState,
  over: (document: MappingDocument) => MappingDocument,
): Pick<SheetState, 'past' | 'future'> {
  const past = [s.document!];
  for (const change of s.past.slice(-UNDO_AFTER_MERGE).reverse()) past.unshift(changedBack(past[0]!, change));
  const future = [s.document!];
  for (const change of s.future.slice(0, UNDO_AFTER_MERGE)) future.push(changed(future.at(-1)!, change));
  const steps = (states: readonly MappingDocument[]): DocumentChange[] => {
    const now = states.length === 1 ? [] : states.map(over);
    return now.slice(1).map((state, i) => changeBetween(now[i], state) ?? NO_CHANGE);
  };
  return { past: steps(past), future: steps(future) };
}
const NO_CHANGE: DocumentChange = { is: 'members', of: [] };

/** The document that the server has, where it says the same as this one: then there is nothing to save. */
function asStored(s: SheetState, document: MappingDocument): MappingDocument {
  return s.stored !== null && changeBetween(s.stored, document) === null ? s.stored : document;
}
/** What the server has, and what was edited here, as one; where both changed the same in different ways, a person chooses. */
function brought(s: SheetState, detail: MappingDetail): SheetState {
  const { clashes } = mergeDocuments(s.stored!, s.document!, withAllLines(detail.document));
  return clashes.length > 0 ? { ...s, clash: { clashes, detail }, saving: 'conflict' } : merged(s, detail, []);
}

export const sheetFeature = createFeature({
  name: 'sheet',
  reducer: createReducer(
    initial,
    on(sheetActions.opened, (_s, { id, record, line }): SheetState => ({
      ...initial,
      id,
      record,
      open: line,
      detail: { state: 'loading', value: null, problem: null },
    })),
    on(sheetActions.loaded, (s, { detail }): SheetState => {
      const document = withAllLines(detail.document);
      return {
        ...s,
        detail: loaded(detail),
        document,
        stored: document,
        version: detail.version,
        changedLines: detail.changedLines,
        saving: 'saved',
        saveProblem: null,
        clash: null,
        past: [],
        future: [],
      };
    }),
    on(sheetActions.failed, (s, { problem }): SheetState => ({ ...s, detail: failed(problem, s.detail) })),
    on(sheetActions.samplesLoaded, (s, { samples }): SheetState => ({ ...s, samples: loaded(samples), sample: 0 })),
    on(sheetActions.samplesOutdated, (s): SheetState => ({ ...s, samples: loading(s.samples) })),
    on(sheetActions.samplesFailed, (s, { problem }): SheetState => ({ ...s, samples: failed(problem, s.samples) })),
    on(sheetActions.sampleChosen, (s, { index }): SheetState => {
      const count = sampleRows(s).length;
      return count === 0 ? s : { ...s, sample: Math.min(count - 1, Math.max(0, index)) };
    }),
    on(sheetActions.sampleSetChosen, (s, { from, index }): SheetState => ({
      ...s,
      sampleSet: from,
      sample: index,
      failedSamples: from === 'failed' ? loading(s.failedSamples) : s.failedSamples,
    })),
    on(sheetActions.failedSamplesLoaded, (s, { rows }): SheetState => ({ ...s, failedSamples: loaded(rows) })),
    on(sheetActions.failedSamplesFailed, (s, { problem }): SheetState => ({
      ...s,
      failedSamples: failed(problem, s.failedSamples),
    })),
    on(sheetActions.recordGiven, (s, { fields, record: given }): SheetState => {
      const { value } = s.samples;
      if (value === null) return s;
      const values = value.fields.map((f) => given.values[fields.indexOf(f)] ?? null);
      const record = { ...given, values };
      const same = (r: SampleRow): boolean => r.row === record.row && r.file === record.file;
      const rows = [record, ...value.rows.filter((r) => !same(r))];
      return { ...s, samples: loaded({ ...value, rows, failed: null }), sampleSet: 'source', sample: 0 };
    }),
    on(sheetActions.lineOpened, (s, { line }): SheetState => ({ ...s, open: line, merge: null })),
    on(sheetActions.edited, (s, { document, merge }): SheetState => {
      if (s.document === null || document === s.document) return s;
      // Edits of one thing that follow one another are one step: from before the first of them.
      const follows = merge !== null && merge === s.merge;
      const from = follows && s.past.length > 0 ? changedBack(s.document, s.past.at(-1)!) : s.document;
      const step = changeBetween(from, document);
      if (step === null && !follows) return s;
      const before = follows ? s.past.slice(0, -1) : s.past;
      const past = step === null ? before : [...before, step].slice(-UNDO_STEPS);
      return { ...show(s, document), past, future: [], merge: step === null ? null : merge };
    }),
    on(sheetActions.undone, (s): SheetState => {
      const step = s.past.at(-1);
      if (!step || !s.document) return s;
      const before = asStored(s, changedBack(s.document, step));
      return { ...show(s, before), past: s.past.slice(0, -1), future: [step, ...s.future], merge: null };
    }),
    on(sheetActions.redone, (s): SheetState => {
      const [step, ...rest] = s.future;
      if (!step || !s.document) return s;
      const next = asStored(s, changed(s.document, step));
      return { ...show(s, next), past: [...s.past, step], future: rest, merge: null };
    }),
    on(sheetActions.trying, (s): SheetState => ({
      ...s,
      trouble: { words: 'The results follow …', isProblem: false },
    })),
    on(sheetActions.tried, (s, { answer }): SheetState => ({ ...s, trial: answer, trouble: null })),
    // Old results beside a newer document would be taken for its own.
    on(sheetActions.tryFailed, (s, { problem }): SheetState => ({
      ...s,
      trial: null,
      trouble: { words: problem, isProblem: true },
    })),
    on(sheetActions.sending, (s, { sent }): SheetState => ({ ...s, unheard: [...s.unheard, sent] })),
    on(sheetActions.saved, (s, { saved, document }): SheetState =>
      // Something newer that others saved on top of it is here already.
      saved.version < s.version
        ? s
        : {
            ...s,
            unheard: [],
            stored: document,
            version: saved.version,
            changedLines: saved.changedLines,
            saving: s.document === document ? 'saved' : 'waiting',
            saveProblem: null,
          },
    ),
    on(sheetActions.saveFailed, (s, { problem, conflict }): SheetState => ({
      ...s,
      // What was refused did not arrive; of what got no answer nobody knows.
      unheard: conflict ? s.unheard.slice(0, -1) : s.unheard,
      saving: conflict ? 'conflict' : 'failed',
      saveProblem: problem,
    })),
    on(sheetActions.othersLoaded, (s, { detail, arrived }): SheetState => {
      if (s.document === null || s.stored === null || detail.id !== s.id) return s;
      // A save that was refused late, from before both were brought together: what is edited is saved once more.
      if (detail.version <= s.version)
        return s.saving === 'conflict' && s.clash === null
          ? { ...s, saving: s.document === s.stored ? 'saved' : 'waiting', saveProblem: null }
          : s;
      // What of ours did arrive is no edit any more, and no change of somebody else.
      const ours = s.unheard.find((sent) => sent.save === arrived);
      return brought(ours ? { ...s, stored: ours.document } : s, detail);
    }),
    on(sheetActions.leftBehind, (s, { left }): SheetState => {
      if (s.detail.value === null) return s;
      // What the server has now; the detail is as it was when the sheet was opened.
      const now = { ...s.detail.value, document: s.stored!, version: s.version, changedLines: [...s.changedLines] };
      // Until both are brought together, what is sent must be refused: it knows nothing of what others saved.
      const { key, base, document, version } = left;
      // Steps of undo lead from what is here now; they know nothing of what the other page had.
      const all = brought(
        { ...s, bringing: key, stored: base, document, version, past: [], future: [], merge: null },
        now,
      );
      const step = all.clash === null ? changeBetween(withAllLines(now.document), all.document) : null;
      return step === null ? all : { ...all, past: [...s.past, step].slice(-UNDO_STEPS) };
    }),
    on(sheetActions.leftSettled, (s): SheetState => ({ ...s, bringing: null })),
    on(sheetActions.clashSettled, (s, { mine }): SheetState =>
      s.clash === null ? s : merged(s, s.clash.detail, mine),
    ),
    on(sheetActions.peopleTold, (s, { people }): SheetState => ({ ...s, people })),
    on(sheetActions.editsDropped, (s): SheetState => {
      const step = s.document && s.stored ? changeBetween(s.document, s.stored) : null;
      // Throwing edits away is a step, too.
      const past = step === null ? s.past : [...s.past, step].slice(-UNDO_STEPS);
      return { ...s, document: s.stored, saving: 'saved', clash: null, past, future: [], merge: null };
    }),
    on(sheetActions.saveAgain, (s): SheetState => ({ ...s, saving: unsaved(s, s.document) ? 'waiting' : 'saved' })),
    on(sheetActions.suggestionsAsked, (s): SheetState => ({ ...s, suggestions: loading(s.suggestions ?? idle()) })),
    on(sheetActions.suggestionsLoaded, (s, { suggestions }): SheetState => ({
      ...s,
      suggestions: s.suggestions && loaded(suggestions),
    })),
    on(sheetActions.suggestionsFailed, (s, { problem }): SheetState => ({
      ...s,
      suggestions: s.suggestions && failed(problem, s.suggestions),
    })),
    on(sheetActions.suggestionsClosed, (s): SheetState => ({ ...s, suggestions: null })),
    on(sheetActions.publishAsked, (s): SheetState => ({
      ...s,
      publishing: { difference: idle(), busy: false, problem: null, faults: [], done: null },
    })),
    on(sheetActions.publishGivenUp, (s): SheetState => ({ ...s, publishing: null })),
    on(sheetActions.differenceLoaded, (s, { difference }): SheetState => ({
      ...s,
      publishing: s.publishing && { ...s.publishing, difference: loaded(difference) },
    })),
    on(sheetActions.publish, (s): SheetState => ({
      ...s,
      publishing: s.publishing && { ...s.publishing, busy: true, problem: null, faults: [] },
    })),
    on(sheetActions.published, (s, { revision }): SheetState => ({
      ...s,
      changedLines: [],
      detail:
        s.detail.value === null
          ? s.detail
          : loaded({
              ...s.detail.value,
              revision: revision.number,
              publishedAt: revision.publishedAt,
              publishedBy: revision.publishedBy,
            }),
      publishing: s.publishing && { ...s.publishing, busy: false, done: revision },
    })),
    on(sheetActions.publishFailed, (s, { problem, faults }): SheetState => ({
      ...s,
      publishing: s.publishing && { ...s.publishing, busy: false, problem, faults },
    })),
    on(sheetActions.left, (): SheetState => initial),
  ),
  extraSelectors: ({ selectDocument, selectTrial, selectDetail, selectChangedLines, selectSheetState }) => ({
    selectRows: createSelector(
      selectDocument,
      selectTrial,
      selectDetail,
      selectChangedLines,
      (document, trial, detail, changed) =>
        document === null ? [] : rowsOf(document, trial, detail.value?.failures ?? [], changed),
    ),
    selectSampleRows: createSelector(selectSheetState, sampleRows),
    selectSampleRow: createSelector(selectSheetState, (s) => sampleRows(s)[s.sample] ?? null),
  }),
});
