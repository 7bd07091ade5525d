import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { main } from './main.ts';

describe('versicle plans check', () => {
  const home = mkdtempSync(join(tmpdir(), 'versicle-plans-'));
  afterAll(() => rmSync(home, { recursive: true }));
  const check = async (document: unknown): Promise<{ code: number; said: string[]; complained: string[] }> => {
    const path = join(home, 'nightly.plan.versicle.json');
    writeFileSync(path, typeof document === 'string' ? document : JSON.stringify(document));
    const said: string[] = [];
    const complained: string[] = [];
    const code = await main(
      ['plans', 'check', path],
      (t) => said.push(t),
      (t) => complained.push(t),
    );
    return { code, said, complained };
  };
  const plan = (patch: object): object => ({
    versicle: 1,
    kind: 'plan',
    name: 'Nightly',
    triggers: [{ id: 't1', kind: 'schedule', cron: '0 6 * * *', zone: 'Europe/London', except: ['holidays'] }],
    steps: [
      { id: 'stations', kind: 'mapping', mapping: 'stations-to-warehouse' },
      { id: 'trips', kind: 'mapping', mapping: 'trips-to-warehouse', after: ['stations'] },
    ],
    ...patch,
  });

  it('says how a plan reads and when it is due', async () => {
    const { code, said, complained } = await check(plan({}));
    expect({ code, complained }).toEqual({ code: 0, complained: [] });
    expect(said[0]).toBe(
      'Each day at 06:00 in Europe/London, except on holidays: first stations-to-warehouse; then trips-to-warehouse.',
    );
    expect(said[1]).toMatch(/^next, calendars left aside: (\w{3} \d{4}-\d\d-\d\d 06:00(, )?){5}$/);
    expect(said[2]).toBe('Nightly: no errors in 2 steps');
  });
  it('lists what is wrong, and says so by its exit code', async () => {
    const { code, said } = await check(
      plan({ triggers: [{ id: 't1', kind: 'schedule', cron: '0 0 30 2 *', zone: 'Europe/London' }] }),
    );
    expect(code).toBe(1);
    expect(said).toEqual([expect.stringContaining('error: triggers[0].cron: '), 'Nightly: 1 error']);
  });
  it.each([
    ['{', 'plan: This is not JSON'],
    [plan({ colour: 'red' }), 'colour: This key is not part of a plan.'],
    [{ versicle: 1, name: 'A mapping', lines: [] }, 'kind: '],
    [plan({ steps: [] }), 'steps: '],
  ])('refuses what is no plan: %j', async (document, says) => {
    const { code, complained } = await check(document);
    expect(code).toBe(2);
    expect(complained.join()).toContain(says);
  });
  it('asks for what is missing', async () => {
    const complained: string[] = [];
    const say = (...args: string[]) =>
      main(
        ['plans', ...args],
        () => undefined,
        (t) => complained.push(t),
      );
    expect([
      await say(),
      await say('check'),
      await say('chekc', 'x'),
      await say('check', join(home, 'none.json')),
    ]).toEqual([2, 2, 2, 2]);
    expect(complained[2]).toContain('“chekc”');
    expect(complained[3]).toContain('none.json');
  });
});
