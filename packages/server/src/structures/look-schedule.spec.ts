import { pino } from 'pino';
import { RunningServer } from '../testing/running-server.ts';
import type { Database } from '@versicle/postgres';
import { keepLookSchedules } from './look-schedule.ts';
import { nextLook } from './next-look.ts';

describe('looking at all datasets on a schedule', () => {
  it('counts the next time in its zone, over a change of clocks too', () => {
    const daily = { cron: '30 2 * * *', zone: 'Europe/London' };
    const next = (from: string): string => nextLook(daily, new Date(from))!.toISOString();
    expect(next('2026-01-10T12:00:00Z')).toBe('2026-01-11T02:30:00.000Z');
    expect(next('2026-07-10T12:00:00Z')).toBe('2026-07-11T01:30:00.000Z');
  });

  it('looks when the time has come, once for all times that passed, and not before', async () => {
    const rows = [
      { id: 'due', cron: '0 * * * *', zone: 'UTC', at: new Date(Date.now() - 5 * 3_600_000).toISOString() },
      { id: 'later', cron: '0 0 1 1 *', zone: 'UTC', at: new Date().toISOString() },
      { id: 'broken', cron: '0 * * * *', zone: 'UTC', at: new Date(Date.now() - 7_200_000).toISOString() },
    ];
    const db = {
      query: (sql: string, [id]: string[] = []) => {
        if (sql.startsWith('SELECT')) return Promise.resolve(rows);
        rows.find((r) => r.id === id)!.at = new Date().toISOString();
        return Promise.resolve([]);
      },
    } as unknown as Database;
    const looked: string[] = [];
    let rounds = 0;
    await new Promise<void>((done) => {
      const stop = keepLookSchedules(
        db,
        (id) => {
          looked.push(id);
          return id === 'broken' ? Promise.reject(new Error('does not answer')) : Promise.resolve();
        },
        pino({ level: 'silent' }),
        5,
      );
      const waiting = setInterval(() => {
        if (++rounds < 10) return;
        clearInterval(waiting);
        stop();
        done();
      }, 10);
    });
    expect(looked).toEqual(['due', 'broken']);
  });

  it('is kept with the system, told back with the next time, and refused when it can’t be meant', async () => {
    const server = await RunningServer.start();
    try {
      await server.connect();
      const set = (schedule: unknown): ReturnType<RunningServer['ask']> =>
        server.ask('PUT', '/api/systems/files/look', { schedule });
      const { body } = await set({ cron: '0 5 * * 1', zone: 'Europe/London' });
      expect(body.look).toMatchObject({ cron: '0 5 * * 1', zone: 'Europe/London' });
      expect(new Date(body.look.next).getTime()).toBeGreaterThan(Date.now());
      expect((await set({ cron: '99 5 * * 1', zone: 'UTC' })).body.detail).toContain('The schedule can');
      expect((await set({ cron: '0 5 * * 1', zone: 'Mars/Base' })).status).toBe(422);
      expect((await set({ cron: '0 0 31 2 *', zone: 'UTC' })).body.detail).toContain('never comes');
      expect((await set(null)).body.look).toBeNull();
    } finally {
      await server.close();
    }
  });
});
