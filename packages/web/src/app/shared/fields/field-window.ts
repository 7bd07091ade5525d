import { computed, inject, type Signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { ActivatedRoute, Router } from '@angular/router';

/** Rows for fields that are drawn at once, and columns for them: a browser needs half a minute for twenty thousand. */
export const FIELD_ROWS = 200;
export const FIELD_COLUMNS = 80;

/** Which of a dataset's fields are drawn: those found by a part of their name, as many as there is room for, from one on. */
export interface FieldWindow {
  /** How many there are; without search. */
  readonly all: Signal<number>;
  readonly search: Signal<string>;
  /** The places of those found. */
  readonly found: Signal<readonly number[]>;
  /** Where the drawn ones begin among the found ones; from 0. */
  readonly from: Signal<number>;
  /** The places of those drawn, in their order. */
  readonly places: Signal<readonly number[]>;
  /** There are more than are drawn at once: only then there is something to choose. */
  readonly needed: Signal<boolean>;
  find(search: string): void;
  step(by: 1 | -1): void;
}

export function placesFound(names: readonly string[], search: string): readonly number[] {
  const sought = search.trim().toLocaleLowerCase();
  const places = Array.from(names, (_, i) => i);
  return sought === '' ? places : places.filter((i) => names[i]!.toLocaleLowerCase().includes(sought));
}

/**
 * The window over the fields of a page, kept in its address (`field`, `from`), so that rows, structure and values show the same
 * ones. Within what is drawn at once, all are: nothing is left out of a dataset of usual width. To be made where there is an
 * injector.
 */
export function fieldWindow(names: Signal<readonly string[]>, room: number): FieldWindow {
  const router = inject(Router);
  const query = toSignal(inject(ActivatedRoute).queryParamMap);
  const ask = (queryParams: Record<string, string | number | null>): void =>
    void router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });

  const all = computed(() => names().length);
  const needed = computed(() => all() > room);
  const search = computed(() => (needed() ? (query()?.get('field') ?? '') : ''));
  const found = computed(() => placesFound(names(), search()));
  const asked = computed(() => Math.trunc(Number(query()?.get('from') ?? 0)) || 0);
  const from = computed(() => {
    const last = Math.max(0, found().length - 1);
    return needed() ? Math.max(0, Math.min(asked(), last - (last % room))) : 0;
  });
  return {
    all,
    search,
    found,
    from,
    needed,
    places: computed(() => found().slice(from(), from() + room)),
    find: (text) => ask({ field: text || null, from: null }),
    step: (by) => ask({ from: Math.max(0, from() + by * room) || null }),
  };
}
