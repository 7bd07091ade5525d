import type {
  ApiKey,
  Calendar,
  MadeApiKey,
  NewApiKey,
  Notification,
  NotificationSetting,
  Retention,
  SavedCalendar,
  SavedNotificationSetting,
  SavedRetention,
  WorkerInfo,
} from '@versicle/contract';
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
    'calendar saved': props<{ name: string }>(),
    'remove calendar': props<{ name: string }>(),
    'calendar failed': props<{ problem: string }>(),
    'setting opened': emptyProps(),
    'setting loaded': props<{ setting: NotificationSetting }>(),
    'setting failed': props<{ problem: string }>(),
    'save setting': props<{ setting: SavedNotificationSetting }>(),
    'setting saved': props<{ setting: NotificationSetting }>(),
    'make secret': emptyProps(),
    'secret made': props<{ secret: string }>(),
    'try message': props<{ means: 'mail' | 'webhook'; to: string }>(),
    'message tried': props<{ to: string }>(),
    'notifications failed': props<{ problem: string }>(),
    'messages opened': emptyProps(),
    'messages loaded': props<{ messages: Notification[] }>(),
    'messages failed': props<{ problem: string }>(),
    'retention opened': emptyProps(),
    'save retention': props<{ retention: SavedRetention }>(),
    'remove old': emptyProps(),
    'retention loaded': props<{ retention: Retention }>(),
    'retention failed': props<{ problem: string }>(),
    'retaining failed': props<{ problem: string }>(),
    'workers opened': emptyProps(),
    'workers loaded': props<{ workers: WorkerInfo[] }>(),
    'workers failed': props<{ problem: string }>(),
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
  readonly setting: Loadable<NotificationSetting>;
  readonly messages: Loadable<Notification[]>;
  /** What webhooks are signed with: the only time that it is seen. */
  readonly secret: string | null;
  /** What became of what somebody did there last. */
  readonly said: string | null;
  readonly notificationProblem: string | null;
  readonly retention: Loadable<Retention>;
  readonly retaining: boolean;
  readonly retentionProblem: string | null;
  readonly workers: Loadable<WorkerInfo[]>;
}
const initial: SettingsState = {
  keys: idle(),
  made: null,
  problem: null,
  calendars: idle(),
  calendarProblem: null,
  setting: idle(),
  messages: idle(),
  secret: null,
  said: null,
  notificationProblem: null,
  retention: idle(),
  retaining: false,
  retentionProblem: null,
  workers: idle(),
};

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
    ...fetched<SettingsState, 'retention'>('retention', {
      asked: settingsActions.retentionOpened,
      came: settingsActions.retentionLoaded,
      failed: settingsActions.retentionFailed,
    }),
    on(settingsActions.saveRetention, settingsActions.removeOld, (s): SettingsState => ({
      ...s,
      retaining: true,
      retentionProblem: null,
    })),
    on(settingsActions.retentionLoaded, (s): SettingsState => ({ ...s, retaining: false })),
    on(settingsActions.retainingFailed, (s, { problem }): SettingsState => ({
      ...s,
      retaining: false,
      retentionProblem: problem,
    })),
    ...fetched<SettingsState, 'workers'>('workers', {
      asked: settingsActions.workersOpened,
      came: settingsActions.workersLoaded,
      failed: settingsActions.workersFailed,
    }),
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
    ...fetched<SettingsState, 'setting'>('setting', {
      asked: settingsActions.settingOpened,
      came: settingsActions.settingLoaded,
      failed: settingsActions.settingFailed,
    }),
    ...fetched<SettingsState, 'messages'>('messages', {
      asked: settingsActions.messagesOpened,
      came: settingsActions.messagesLoaded,
      failed: settingsActions.messagesFailed,
    }),
    on(settingsActions.saveSetting, settingsActions.makeSecret, settingsActions.tryMessage, (s): SettingsState => ({
      ...s,
      said: null,
      notificationProblem: null,
    })),
    on(settingsActions.settingSaved, (s, { setting }): SettingsState => ({
      ...s,
      setting: loaded(setting),
      said: $localize`Kept.`,
    })),
    on(settingsActions.secretMade, (s, { secret }): SettingsState => ({ ...s, secret })),
    on(settingsActions.messageTried, (s, { to }): SettingsState => ({
      ...s,
      said: $localize`A message is on its way to ${to}.`,
    })),
    on(settingsActions.notificationsFailed, (s, { problem }): SettingsState => ({
      ...s,
      notificationProblem: problem,
    })),
    on(settingsActions.left, (s): SettingsState => ({
      ...s,
      made: null,
      problem: null,
      calendarProblem: null,
      secret: null,
      said: null,
      notificationProblem: null,
    })),
  ),
});
