import { refused } from '@versicle/core';
import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';
import { tryMessage } from './send.ts';

export function notificationRoutes(api: Api, { systems, notifications }: Services): void {
  const { settings } = notifications;
  api.forAll('listNotifications', () => notifications.list());
  api.on('notificationSeen', async ({ params }) => {
    await notifications.seen(params.id);
    return { done: true };
  });
  api.on('sendAgain', async ({ params }) => {
    await notifications.again(params.id);
    return { done: true };
  });
  api.on('notificationSetting', () => settings.get());
  api.on('saveNotificationSetting', ({ body }) => settings.save(body));
  api.on('makeNotificationSecret', async () => ({ secret: await settings.makeSecret() }));
  api.on('tryNotification', async ({ body }) => {
    await tryMessage(systems, settings, body.means, body.to).catch((error: Error) => {
      throw refused(`Nothing was sent: ${error.message}`);
    });
    return { done: true };
  });
}
