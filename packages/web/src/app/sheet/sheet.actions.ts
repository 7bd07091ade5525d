import type {
  Difference,
  MappingDetail,
  MappingSample,
  PresentPerson,
  Revision,
  SampleRow,
  SavedDraft,
} from '@versicle/contract';
import type { DeclaredMarks, KeyMaps, MappingDocument, Suggestion } from '@versicle/core';
import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { FoundBehind, SentSave } from './left-behind';
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
