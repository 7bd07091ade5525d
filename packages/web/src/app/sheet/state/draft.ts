import type { MappingDetail } from '@versicle/contract';
import {
  changeBetween,
  changed,
  changedBack,
  mergeDocuments,
  withAllLines,
  type Clash,
  type DocumentChange,
  type MappingDocument,
} from '@versicle/core';
import { createReducer, on } from '@ngrx/store';
import { failed, idle, loaded, type Loadable } from '../../shared/loadable';
import type { SentSave } from '../left-behind';
import { sheetActions } from '../sheet.actions';

/** What is edited, what the server has of it, and the way back. */
export interface DraftState {
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
  /** Steps of undo, the newest last, and of redo, the next one first: each only what it changed. */
  readonly past: readonly DocumentChange[];
  readonly future: readonly DocumentChange[];
  readonly merge: string | null;
}
export const initialDraft: DraftState = {
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
  past: [],
  future: [],
  merge: null,
};
const UNDO_STEPS = 200;

/** Whether there is something to save; a save that nobody heard of may have stored what was taken back since. */
export function unsaved(s: DraftState, document: MappingDocument | null): boolean {
  return document !== s.stored || s.unheard.length > 0;
}
function show(s: DraftState, document: MappingDocument): DraftState {
  return {
    ...s,
    document,
    saving: s.saving === 'conflict' ? 'conflict' : unsaved(s, document) ? 'waiting' : 'saved',
  };
}

/** What others saved and what was edited here, brought together; steps of undo are brought along, so that they take back only what is ours. */
function merged(s: DraftState, detail: MappingDetail, mine: readonly string[]): DraftState {
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
  s: DraftState,
  over: (document: MappingDocument) => MappingDocument,
): Pick<DraftState, 'past' | 'future'> {
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
function asStored(s: DraftState, document: MappingDocument): MappingDocument {
  return s.stored !== null && changeBetween(s.stored, document) === null ? s.stored : document;
}
/** What the server has, and what was edited here, as one; where both changed the same in different ways, a person chooses. */
function brought(s: DraftState, detail: MappingDetail): DraftState {
  const { clashes } = mergeDocuments(s.stored!, s.document!, withAllLines(detail.document));
  return clashes.length > 0 ? { ...s, clash: { clashes, detail }, saving: 'conflict' } : merged(s, detail, []);
}

export const draftReducer = createReducer<DraftState>(
  initialDraft,
  on(sheetActions.loaded, (s, { detail }): DraftState => {
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
  on(sheetActions.failed, (s, { problem }): DraftState => ({ ...s, detail: failed(problem, s.detail) })),
  on(sheetActions.edited, (s, { document, merge }): DraftState => {
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
  on(sheetActions.undone, (s): DraftState => {
    const step = s.past.at(-1);
    if (!step || !s.document) return s;
    const before = asStored(s, changedBack(s.document, step));
    return { ...show(s, before), past: s.past.slice(0, -1), future: [step, ...s.future], merge: null };
  }),
  on(sheetActions.redone, (s): DraftState => {
    const [step, ...rest] = s.future;
    if (!step || !s.document) return s;
    const next = asStored(s, changed(s.document, step));
    return { ...show(s, next), past: [...s.past, step], future: rest, merge: null };
  }),
  on(sheetActions.sending, (s, { sent }): DraftState => ({ ...s, unheard: [...s.unheard, sent] })),
  on(sheetActions.saved, (s, { saved, document }): DraftState =>
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
  on(sheetActions.saveFailed, (s, { problem, conflict }): DraftState => ({
    ...s,
    // What was refused did not arrive; of what got no answer nobody knows.
    unheard: conflict ? s.unheard.slice(0, -1) : s.unheard,
    saving: conflict ? 'conflict' : 'failed',
    saveProblem: problem,
  })),
  on(sheetActions.othersLoaded, (s, { detail, arrived }): DraftState => {
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
  on(sheetActions.leftBehind, (s, { left }): DraftState => {
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
  on(sheetActions.leftSettled, (s): DraftState => ({ ...s, bringing: null })),
  on(sheetActions.clashSettled, (s, { mine }): DraftState => (s.clash === null ? s : merged(s, s.clash.detail, mine))),
  on(sheetActions.editsDropped, (s): DraftState => {
    const step = s.document && s.stored ? changeBetween(s.document, s.stored) : null;
    // Throwing edits away is a step, too.
    const past = step === null ? s.past : [...s.past, step].slice(-UNDO_STEPS);
    return { ...s, document: s.stored, saving: 'saved', clash: null, past, future: [], merge: null };
  }),
  on(sheetActions.saveAgain, (s): DraftState => ({ ...s, saving: unsaved(s, s.document) ? 'waiting' : 'saved' })),
  on(sheetActions.lineOpened, (s): DraftState => ({ ...s, merge: null })),
  on(sheetActions.published, (s, { revision }): DraftState => ({
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
  })),
);
