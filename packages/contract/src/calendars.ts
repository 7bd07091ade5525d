import * as z from 'zod';

export const calendarParams = z.object({ name: z.string().min(1).max(100) });
/** Days as `2026-12-25`, or an iCalendar file whose events lie on them. */
export const savedCalendar = z
  .strictObject({ days: z.array(z.string()).max(20_000).optional(), icalendar: z.string().max(4_000_000).optional() })
  .refine((c) => (c.days === undefined) !== (c.icalendar === undefined), {
    message: 'say the days, or an iCalendar file',
  });
export type SavedCalendar = z.infer<typeof savedCalendar>;
export const calendar = z.object({
  name: z.string(),
  days: z.array(z.string()),
  from: z.enum(['list', 'icalendar']),
  usedBy: z.array(z.object({ id: z.string(), name: z.string() })),
  updatedBy: z.string(),
  updatedAt: z.string(),
});
export type Calendar = z.infer<typeof calendar>;
