import { request } from '../shared/request';
import { settingsActions as a } from './settings.feature';

export const load = request(a.opened, 'listApiKeys', 'newest', {
  done: (keys) => a.loaded({ keys }),
  failed: (problem) => a.failed({ problem }),
});
export const makeKey = request(a.makeKey, 'createApiKey', 'once', {
  call: ({ key }) => ({ body: key }),
  done: (key) => a.keyMade({ key }),
  failed: (problem) => a.actFailed({ problem }),
});
export const takeBack = request(a.takeBack, 'deleteApiKey', 'in turn', {
  call: ({ id }) => ({ params: { id } }),
  done: (_, { id }) => a.takenBack({ id }),
  failed: (problem) => a.actFailed({ problem }),
});

export const loadCalendars = request([a.calendarsOpened, a.calendarSaved], 'listCalendars', 'newest', {
  done: (calendars) => a.calendarsLoaded({ calendars }),
  failed: (problem) => a.calendarsFailed({ problem }),
});
export const saveCalendar = request(a.saveCalendar, 'saveCalendar', 'in turn', {
  call: ({ name, calendar }) => ({ params: { name }, body: calendar }),
  done: (_, { name }) => a.calendarSaved({ name }),
  failed: (problem) => a.calendarFailed({ problem }),
});
export const removeCalendar = request(a.removeCalendar, 'deleteCalendar', 'in turn', {
  call: ({ name }) => ({ params: { name } }),
  done: () => a.calendarsOpened(),
  failed: (problem) => a.calendarFailed({ problem }),
});

export const loadSetting = request(a.settingOpened, 'notificationSetting', 'newest', {
  done: (setting) => a.settingLoaded({ setting }),
  failed: (problem) => a.settingFailed({ problem }),
});
export const saveSetting = request(a.saveSetting, 'saveNotificationSetting', 'in turn', {
  call: ({ setting }) => ({ body: setting }),
  done: (setting) => a.settingSaved({ setting }),
  failed: (problem) => a.notificationsFailed({ problem }),
});
export const makeSecret = request(a.makeSecret, 'makeNotificationSecret', 'once', {
  done: ({ secret }) => a.secretMade({ secret }),
  failed: (problem) => a.notificationsFailed({ problem }),
});
export const tryMessage = request(a.tryMessage, 'tryNotification', 'once', {
  call: ({ means, to }) => ({ body: { means, to } }),
  done: (_, { to }) => a.messageTried({ to }),
  failed: (problem) => a.notificationsFailed({ problem }),
});
export const loadMessages = request(a.messagesOpened, 'listNotifications', 'newest', {
  done: (messages) => a.messagesLoaded({ messages }),
  failed: (problem) => a.messagesFailed({ problem }),
});

export const loadRetention = request(a.retentionOpened, 'getRetention', 'newest', {
  done: (retention) => a.retentionLoaded({ retention }),
  failed: (problem) => a.retentionFailed({ problem }),
});
export const saveRetention = request(a.saveRetention, 'saveRetention', 'in turn', {
  call: ({ retention: body }) => ({ body }),
  done: (retention) => a.retentionLoaded({ retention }),
  failed: (problem) => a.retainingFailed({ problem }),
});
export const removeOld = request(a.removeOld, 'removeOld', 'once', {
  done: (retention) => a.retentionLoaded({ retention }),
  failed: (problem) => a.retainingFailed({ problem }),
});

export const loadWorkers = request(a.workersOpened, 'listWorkers', 'newest', {
  done: (workers) => a.workersLoaded({ workers }),
  failed: (problem) => a.workersFailed({ problem }),
});
