import { itemsDocument, RunningServer } from '../testing/running-server.ts';
import { daysOfICalendar } from './icalendar.ts';

const ics = (...events: string[]): string =>
  [
    'BEGIN:VCALENDAR',
    'VERSION:2.0',
    'PRODID:-//Larkway//EN',
    ...events.map((e) => `BEGIN:VEVENT\r\nUID:u\r\n${e}\r\nEND:VEVENT`),
    'END:VCALENDAR',
  ].join('\r\n');
const NOW = new Date('2026-08-03T12:00:00Z');

describe('days of an iCalendar file', () => {
  it('are those of its events, also of several days and each year', () => {
    const days = daysOfICalendar(
      ics(
        'DTSTART;VALUE=DATE:20261225\r\nRRULE:FREQ=YEARLY',
        'DTSTART;VALUE=DATE:20270402\r\nDTEND;VALUE=DATE:20270405',
        'DTSTART:20261101T090000Z\r\nDTEND:20261101T100000Z',
      ),
      NOW,
    );
    expect(days.filter((d) => d < '2028')).toEqual([
      '2026-11-01',
      '2026-12-25',
      '2027-04-02',
      '2027-04-03',
      '2027-04-04',
      '2027-12-25',
    ]);
    expect(days.at(-1)).toBe('2036-12-25');
  });
  it('leave out what a series leaves out', () => {
    const days = daysOfICalendar(
      ics('DTSTART;VALUE=DATE:20260803\r\nRRULE:FREQ=WEEKLY;COUNT=3\r\nEXDATE;VALUE=DATE:20260810'),
      NOW,
    );
    expect(days).toEqual(['2026-08-03', '2026-08-17']);
  });
  it.each([
    ['', /not an iCalendar file/],
    ['BEGIN:VCALENDAR\r\nEND:VCALENDAR', /no events/],
    ['2026-12-25', /not an iCalendar file/],
  ])('refuse what is none: %j', (text, message) => {
    expect(() => daysOfICalendar(text, NOW)).toThrow(message);
  });
});

describe('calendars of the workspace', () => {
  let server: RunningServer;
  beforeAll(async () => {
    server = await RunningServer.start();
    await server.connect();
    server.file('items.csv', 'no,name,price\n1,Bell,"3,50"\n');
    await server.mapping(itemsDocument());
  });
  afterAll(() => server.close());
  const day = (inDays: number): string => new Date(Date.now() + inDays * 86_400_000).toISOString().slice(0, 10);

  it('say on which days a plan is not due, from the moment they are changed', async () => {
    const document = {
      versicle: 1,
      kind: 'plan',
      name: 'Daily',
      triggers: [{ id: 't', kind: 'schedule', cron: '0 6 * * *', zone: 'UTC', except: ['public-holidays'] }],
      steps: [{ id: 'a', kind: 'mapping', mapping: 'items-to-store' }],
    };
    expect(await server.ask('POST', '/api/plans', { document })).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('no calendar “public-holidays”') },
    });
    const all = [1, 2, 3].map(day);
    await server.api('saveCalendar', 'PUT', '/calendars/public-holidays', { days: [...all, day(3)] });
    const plan = await server.api('createPlan', 'POST', '/plans', { document: document as never });
    const next = async (): Promise<string> => (await server.api('getPlan', 'GET', `/plans/${plan.id}`)).next!;
    expect(all.some((d) => plan.next!.startsWith(d))).toBe(false);
    await server.api('saveCalendar', 'PUT', '/calendars/public-holidays', {
      icalendar: ics('DTSTART;VALUE=DATE:20200101'),
    });
    expect((await next()) <= `${day(1)}T06:00:00.000Z`).toBe(true);
    const [calendar] = await server.api('listCalendars', 'GET', '/calendars');
    expect(calendar).toMatchObject({ from: 'icalendar', usedBy: [{ id: plan.id, name: 'Daily' }] });
    expect(await server.ask('DELETE', '/api/calendars/public-holidays')).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('used by Daily') },
    });
  });
  it('refuse what is no day', async () => {
    for (const days of [['2026-02-30'], ['tomorrow'], ['2026-1-1']])
      expect(await server.ask('PUT', '/api/calendars/x', { days })).toMatchObject({ status: 422 });
    expect(await server.ask('PUT', '/api/calendars/x', {})).toMatchObject({ status: 400 });
  });
});
