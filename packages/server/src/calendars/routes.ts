import type { Api } from '../http/api.ts';
import type { Services } from '../services.ts';

export function calendarRoutes(api: Api, { calendars, plans }: Services): void {
  api.on('listCalendars', () => calendars.list());
  api.on('saveCalendar', async ({ params, body }, who) => {
    const saved = await calendars.save(params.name, body, who.person);
    await plans.dueAnew();
    return saved;
  });
  api.on('deleteCalendar', async ({ params }) => {
    await calendars.remove(params.name);
    return { done: true };
  });
}
