import type { Suggestion } from '@versicle/core';
import { createReducer, on } from '@ngrx/store';
import { failed, idle, loaded, loading, type Loadable } from '../../shared/loadable';
import { sheetActions } from '../sheet.actions';

/** What could fill the lines to map; null while nobody asked. */
export interface SuggestionsState {
  readonly suggestions: Loadable<Suggestion[]> | null;
}
export const initialSuggestions: SuggestionsState = { suggestions: null };

export const suggestionsReducer = createReducer<SuggestionsState>(
  initialSuggestions,
  on(sheetActions.suggestionsAsked, (s): SuggestionsState => ({ ...s, suggestions: loading(s.suggestions ?? idle()) })),
  on(sheetActions.suggestionsLoaded, (s, { suggestions }): SuggestionsState => ({
    ...s,
    suggestions: s.suggestions && loaded(suggestions),
  })),
  on(sheetActions.suggestionsFailed, (s, { problem }): SuggestionsState => ({
    ...s,
    suggestions: s.suggestions && failed(problem, s.suggestions),
  })),
  on(sheetActions.suggestionsClosed, (s): SuggestionsState => ({ ...s, suggestions: null })),
);
