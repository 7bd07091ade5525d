import type { Database } from '@versicle/postgres';
import { directDatabase } from '../testing/direct-database.ts';
import { tellLate } from './late.ts';
import { Notifications, type Told } from './notifications.ts';
import type { NotificationSettings } from './setting.ts';

let db: Database;
let notifications: Notifications;
beforeAll(async () => {
  db = await directDatabase();
  const settings = {
    get: async () => ({ quiet: null, digestHours: 24 }),
    linkBase: async () => 'http://127.0.0.1:4170',
  };
  notifications = new Notifications(db, settings as unknown as NotificationSettings, null as never);
});
afterAll(() => db.close());

const tell = [{ on: ['late'], by: 'application' }];
let made = 0;
async function plan(more: object): Promise<string> {
  const id = `p${++made}`;
  const steps = [{ id: 'a', kind: 'sql', system: 'store', sql: 'SELECT 1' }];
  const document = JSON.stringify({ versicle: 1, kind: 'plan', name: id, steps, tell, ...more });
  await db.query('INSERT INTO plan (id, name, document) VALUES ($1, $1, $2)', [id, document]);
  await db.query("INSERT INTO plan_version (plan, number, document, at, person) VALUES ($1, 1, $2, '2026-08-01', '')", [
    id,
    document,
  ]);
  return id;
}
async function run(id: string, state: string, from: string, to: string | null): Promise<void> {
  await db.query(
    "INSERT INTO run (kind, plan, state, started_by, created_at, started_at, finished_at) VALUES ('plan', $1, $2, '', $3, $3, $4)",
    [id, state, from, to],
  );
}
const calendars = (): Promise<ReadonlyMap<string, ReadonlySet<string>>> => Promise.resolve(new Map());
const look = (now: string): Promise<void> => tellLate(db, notifications, calendars, new Date(now));
const told = async (id: string): Promise<string[]> =>
  (await notifications.list()).filter((n) => n.plan === id).map((n) => n.body.split('\n')[0]!);

describe('a plan that has to have ended well by a time', () => {
  const weekdays = {
    expected: '07:30',
    triggers: [
      { id: 't', kind: 'schedule', cron: '0 6 * * 1-5', zone: 'Europe/London', except: [], only: [], missed: 'once' },
    ],
  };
  it('is late when that has passed and no run of that day has, and is told of once', async () => {
    const id = await plan(weekdays);
    await run(id, 'finished', '2026-08-03T05:00:00Z', '2026-08-03T05:10:00Z');
    await look('2026-08-03T07:00:00Z');
    expect(await told(id)).toEqual([]);
    await run(id, 'broken', '2026-08-04T05:00:00Z', '2026-08-04T05:10:00Z');
    await look('2026-08-04T06:29:00Z');
    expect(await told(id)).toEqual([]);
    await look('2026-08-04T06:31:00Z');
    await look('2026-08-04T06:32:00Z');
    expect(await told(id)).toEqual([
      expect.stringMatching(/had to have ended well by 07:30 in Europe\/London, and run \d+ is broken/),
    ]);
  });
  it('is not late on days on which it was not due, nor before it was last saved', async () => {
    const id = await plan(weekdays);
    await run(id, 'finished', '2026-08-07T05:00:00Z', '2026-08-07T05:10:00Z');
    await look('2026-08-08T09:00:00Z');
    await look('2026-08-09T09:00:00Z');
    expect(await told(id)).toEqual([]);
    await look('2026-08-10T09:00:00Z');
    expect(await told(id)).toEqual([expect.stringContaining('it has not run')]);
    const fresh = await plan({ expected: '07:30' });
    await look('2026-08-01T00:00:00Z');
    expect(await told(fresh)).toEqual([]);
  });
});

describe('a plan that is due several times before it has to have ended well', () => {
  it('is late when its newest run has not, whatever became of earlier ones', async () => {
    const cron = { id: 't', kind: 'schedule', cron: '0 * * * *', zone: 'UTC', except: [], only: [], missed: 'once' };
    const id = await plan({ expected: '07:30', triggers: [cron] });
    await run(id, 'finished', '2026-08-11T06:00:00Z', '2026-08-11T06:05:00Z');
    await run(id, 'broken', '2026-08-11T07:00:00Z', '2026-08-11T07:05:00Z');
    await look('2026-08-11T07:31:00Z');
    expect(await told(id)).toEqual([expect.stringContaining('is broken')]);
  });
});

describe('what goes on and on', () => {
  const about = (occasion: string): Told => ({
    plan: 'p1',
    run: null,
    kind: 'late',
    occasion,
    message: { subject: occasion, body: occasion },
  });
  it('is told again after the hours that are set, not before', async () => {
    const id = await plan({ expected: '2 h' });
    const document = { tell: [{ on: ['late'], by: 'application', to: [] }] };
    const subjects = async (): Promise<string[]> =>
      (await notifications.list()).filter((n) => n.plan === id).map((n) => n.subject);
    const happens = (occasion: string): Promise<void> =>
      notifications.late(document as never, { ...about(occasion), plan: id });
    await happens('first');
    await happens('second');
    expect(await subjects()).toEqual(['first']);
    await db.query("UPDATE matter SET told_at = told_at - interval '25 hours' WHERE plan = $1", [id]);
    await happens('second');
    expect(await subjects()).toEqual(['first']);
    await happens('third');
    await happens('third');
    expect(await subjects()).toEqual(['third', 'first']);
    expect(await db.query('SELECT times FROM matter WHERE plan = $1', [id])).toEqual([{ times: 3 }]);
  });
});
