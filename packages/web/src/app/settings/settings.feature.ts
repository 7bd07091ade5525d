import type { ApiKey, Calendar, MadeApiKey, NewApiKey, SavedCalendar } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { fetched, idle, loaded, type Loadable } from '../shared/loadable';

export const settingsActions = createActionGroup({
  source: 'Settings',
  events: {
    opened: emptyProps(),
    loaded: props<{ keys: ApiKey[] }>(),
    failed: props<{ problem: string }>(),
    'make key': props<{ key: NewApiKey }>(),
    'key made': props<{ key: MadeApiKey }>(),
    'take back': props<{ id: string }>(),
    'taken back': props<{ id: string }>(),
    'act failed': props<{ problem: string }>(),
    'calendars opened': emptyProps(),
    'calendars loaded': props<{ calendars: Calendar[] }>(),
    'calendars failed': props<{ problem: string }>(),
    'save calendar': props<{ name: string; calendar: SavedCalendar }>(),
    'remove calendar': props<{ name: string }>(),
    'calendar failed': props<{ problem: string }>(),
    left: emptyProps(),
  },
});

export interface SettingsState {
  readonly keys: Loadable<ApiKey[]>;
  /** The key that was just made: the only time that it is seen. */
  readonly made: MadeApiKey | null;
  readonly problem: string | null;
  readonly calendars: Loadable<Calendar[]>;
  readonly calendarProblem: string | null;
}
const initial: SettingsState = { keys: idle(), made: null, problem: null, calendars: idle(), calendarProblem: null };

export const settingsFeature = createFeature({
  name: 'settings',
  reducer: createReducer(
    initial,
    ...fetched<SettingsState, 'keys'>('keys', {
      asked: settingsActions.opened,
      came: settingsActions.loaded,
      failed: settingsActions.failed,
    }),
    on(settingsActions.makeKey, settingsActions.takeBack, (s): SettingsState => ({ ...s, problem: null })),
    on(settingsActions.keyMade, (s, { key }): SettingsState => {
      const { key: _, ...known } = key;
      return { ...s, made: key, keys: loaded([...(s.keys.value ?? []), known]) };
    }),
    on(settingsActions.takenBack, (s, { id }): SettingsState => ({
      ...s,
      made: s.made?.id === id ? null : s.made,
      keys: loaded((s.keys.value ?? []).filter((k) => k.id !== id)),
    })),
    on(settingsActions.actFailed, (s, { problem }): SettingsState => ({ ...s, problem })),
    ...fetched<SettingsState, 'calendars'>('calendars', {
      asked: settingsActions.calendarsOpened,
      came: settingsActions.calendarsLoaded,
      failed: settingsActions.calendarsFailed,
    }),
    on(settingsActions.saveCalendar, settingsActions.removeCalendar, (s): SettingsState => ({
      ...s,
      calendarProblem: null,
    })),
    on(settingsActions.calendarFailed, (s, { problem }): SettingsState => ({ ...s, calendarProblem: problem })),
    on(settingsActions.left, (s): SettingsState => ({ ...s, made: null, problem: null, calendarProblem: null })),
  ),
});
