import type { Trigger } from '@versicle/core';
import { directDatabase } from '../testing/direct-database.ts';
import { dueTimes, seeToDue, seeToSetBack } from './due.ts';
import type { Starter } from './starter.ts';

const at = (text: string): Date => new Date(`2026-08-03T${text}Z`);
const schedule = (missed: 'once' | 'skip' | 'each', cron = '0 * * * *'): Trigger => ({
  id: 't',
  kind: 'schedule',
  cron,
  zone: 'UTC',
  except: [],
  only: [],
  missed,
});
const times = (trigger: Trigger, from: Date, now: Date): string[] =>
  dueTimes(trigger, from, now).times.map((t) => t.toISOString().slice(11, 16));

describe('what is due', () => {
  it('starts once when its time has come, and is due again at the next', () => {
    for (const missed of ['once', 'skip', 'each'] as const) {
      expect(times(schedule(missed), at('06:00:00'), at('06:00:01'))).toEqual(['06:00']);
      expect(dueTimes(schedule(missed), at('06:00:00'), at('06:00:01')).next).toEqual(at('07:00:00'));
    }
  });
  it('makes up for what passed while nothing could run, as the plan says', () => {
    const [from, now] = [at('06:00:00'), at('09:30:00')];
    expect(times(schedule('once'), from, now)).toEqual(['09:00']);
    expect(times(schedule('skip'), from, now)).toEqual([]);
    expect(times(schedule('each'), from, now)).toEqual(['06:00', '07:00', '08:00', '09:00']);
    // The one that is due right now stands for those before it.
    expect(times(schedule('once'), from, at('09:00:20'))).toEqual(['09:00']);
    expect(times(schedule('skip'), from, at('09:00:20'))).toEqual(['09:00']);
  });
  it('finds the newest of more times than are started in one go', () => {
    const long = new Date('2026-07-01T00:00:00Z');
    expect(times(schedule('once', '* * * * *'), long, at('09:30:30'))).toEqual(['09:30']);
    expect(times(schedule('once', '*/5 * * * *'), long, at('09:33:30'))).toEqual(['09:30']);
    // Of those that are made up for one by one none is left out: the next look goes on behind them.
    const days = new Date(at('09:30:00').getTime() - 2 * 86_400_000);
    let [from, all] = [days, 0];
    for (let looks = 0; from <= at('09:30:30'); looks++) {
      expect(looks).toBeLessThan(4);
      const { times: some, next } = dueTimes(schedule('each', '* * * * *'), from, at('09:30:30'));
      all += some.length;
      from = next!;
    }
    expect(all).toBe(2 * 1440 + 1);
  });
});

describe('the look for what is due', () => {
  const started: string[] = [];
  const starter = {
    due: (plan: string, { occasion }: { occasion: string }) => {
      started.push(`${plan} ${occasion}`);
      return Promise.resolve(plan !== 'broken');
    },
  } as unknown as Starter;

  it('starts each time once, whoever looks, and gets over a clock that was ahead', async () => {
    const db = await directDatabase();
    const document = {
      versicle: 1,
      kind: 'plan',
      name: 'P',
      triggers: [schedule('once')],
      steps: [{ id: 'a', kind: 'mapping', mapping: 'm' }],
    };
    await db.query("INSERT INTO plan (id, name, document) VALUES ('p', 'P', $1)", [JSON.stringify(document)]);
    await db.query("INSERT INTO plan_trigger (plan, trigger, kind, next, seen) VALUES ('p', 't', 'schedule', $1, $2)", [
      at('06:00:00').toISOString(),
      at('05:30:00').toISOString(),
    ]);
    const next = async (): Promise<unknown> => (await db.query('SELECT next FROM plan_trigger'))[0]!['next'];
    await seeToDue(db, starter, at('05:59:59'));
    expect(started).toEqual([]);
    await seeToDue(db, starter, at('06:00:00'));
    await seeToDue(db, starter, at('06:00:01'));
    expect(started).toEqual(['p 2026-08-03T06:00:00.000Z']);
    expect(await next()).toBe('2026-08-03 07:00:00+00');
    // A clock that shows next year for a moment: due then, and not for a year after it is right again.
    await seeToDue(db, starter, new Date('2027-08-03T06:30:00Z'));
    expect(started).toHaveLength(2);
    await seeToDue(db, starter, at('06:30:00'));
    await seeToDue(db, starter, at('07:00:00'));
    expect(started.at(-1)).toBe('p 2026-08-03T07:00:00.000Z');
    await db.close();
  });
  it('does not keep waiting what goes on and on where the clock was set back', async () => {
    const db = await directDatabase();
    const document = {
      versicle: 1,
      kind: 'plan',
      name: 'P',
      triggers: [{ id: 't', kind: 'every', seconds: 5 }],
      steps: [{ id: 'a', kind: 'mapping', mapping: 'm' }],
    };
    const nexts: Readonly<Record<string, string>> = { ahead: '06:40:00', tries: '06:00:55', usual: '06:00:03' };
    for (const [id, next] of Object.entries(nexts)) {
      await db.query("INSERT INTO plan (id, name, document) VALUES ($1, 'P', $2)", [id, JSON.stringify(document)]);
      await db.query("INSERT INTO plan_trigger (plan, trigger, kind, next) VALUES ($1, 't', 'every', $2)", [
        id,
        at(next).toISOString(),
      ]);
    }
    await seeToSetBack(db, at('06:00:00'));
    expect(await db.query('SELECT plan, next FROM plan_trigger ORDER BY plan')).toEqual([
      { plan: 'ahead', next: '2026-08-03 06:00:05+00' },
      { plan: 'tries', next: '2026-08-03 06:00:55+00' },
      { plan: 'usual', next: '2026-08-03 06:00:03+00' },
    ]);
    await db.close();
  });
  it('tries again later what goes on and on and could not be started', async () => {
    const db = await directDatabase();
    const document = {
      versicle: 1,
      kind: 'plan',
      name: 'P',
      triggers: [{ id: 't', kind: 'every', seconds: 5 }],
      steps: [{ id: 'a', kind: 'mapping', mapping: 'm' }],
    };
    for (const id of ['broken', 'sound']) {
      await db.query("INSERT INTO plan (id, name, document) VALUES ($1, 'P', $2)", [id, JSON.stringify(document)]);
      await db.query("INSERT INTO plan_trigger (plan, trigger, kind, next) VALUES ($1, 't', 'every', $2)", [
        id,
        at('06:00:00').toISOString(),
      ]);
    }
    await seeToDue(db, starter, at('06:00:00'));
    expect(await db.query('SELECT plan, next FROM plan_trigger ORDER BY plan')).toEqual([
      { plan: 'broken', next: '2026-08-03 06:01:00+00' },
      // The end of its run says when it is due again.
      { plan: 'sound', next: null },
    ]);
    await db.close();
  });
});
