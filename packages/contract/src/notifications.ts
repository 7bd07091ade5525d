import { TELL_ON } from '@versicle/core';
import * as z from 'zod';

const time = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'a time such as 22:00');
const zone = z.string().refine(
  (name) => {
    try {
      new Intl.DateTimeFormat('en-GB', { timeZone: name });
      return true;
    } catch {
      return false;
    }
  },
  { message: 'no time zone; write one such as Europe/London' },
);
/** How people are told: by which mail server, when not, and how often of what goes on. */
export const savedNotificationSetting = z.strictObject({
  /** The system that takes mail; null: the only one that there is. */
  mailSystem: z.string().nullable(),
  /** Hours after which somebody is told again of what still is not well. */
  digestHours: z.number().int().min(1).max(8760),
  /** Between these nothing is sent; what came meanwhile is sent at their end. */
  quiet: z.strictObject({ from: time, to: time, zone }).nullable(),
  /** Where people open Versicle, for links; null: where it listens. */
  address: z
    .url({ protocol: /^https?$/ })
    .max(300)
    .nullable(),
});
export type SavedNotificationSetting = z.infer<typeof savedNotificationSetting>;
/** `signed`: webhooks carry a signature. */
export const notificationSetting = savedNotificationSetting.extend({ signed: z.boolean() });
export type NotificationSetting = z.infer<typeof notificationSetting>;
export const notificationSecret = z.object({ secret: z.string() });

export const notification = z.object({
  id: z.number(),
  plan: z.string(),
  planName: z.string(),
  run: z.number().nullable(),
  kind: z.enum(TELL_ON),
  means: z.enum(['mail', 'webhook', 'application']),
  receiver: z.string(),
  subject: z.string(),
  body: z.string(),
  state: z.enum(['waiting', 'sent', 'given up', 'seen']),
  createdAt: z.string(),
  /** When it is sent, or tried again; null where it is not. */
  next: z.string().nullable(),
  attempts: z.number(),
  problem: z.string().nullable(),
  settledAt: z.string().nullable(),
});
export type Notification = z.infer<typeof notification>;
/** A first message, to see whether it arrives. */
export const triedNotification = z.strictObject({ means: z.enum(['mail', 'webhook']), to: z.string().min(1).max(300) });
