import * as fc from 'fast-check';
import { Gathered } from './gathered.ts';

describe('answers for all who ask', () => {
  it('are each begun after the question, one at a time, and made no more often than they are asked for', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.scheduler(),
        fc.array(fc.record({ question: fc.constantFrom('a', 'b'), fails: fc.boolean() }), {
          minLength: 1,
          maxLength: 30,
        }),
        async (s, asks) => {
          const gathered = new Gathered<number>();
          let [clock, made] = [0, 0];
          const under: Record<string, number> = { a: 0, b: 0 };
          const said: Promise<void>[] = [];
          const { task } = s.scheduleSequence(
            asks.map(({ question, fails }) => ({
              label: question,
              builder: () => {
                const asked = ++clock;
                const make = async (): Promise<number> => {
                  const begun = ++clock;
                  made++;
                  expect(++under[question]!).toBe(1);
                  await s.schedule(Promise.resolve());
                  under[question]!--;
                  if (fails) throw new Error(String(begun));
                  return begun;
                };
                const answered = gathered.ask(question, make).catch((error: Error) => Number(error.message));
                said.push(answered.then((begun) => expect(begun).toBeGreaterThan(asked)));
                return Promise.resolve();
              },
            })),
          );
          await s.waitAll();
          await task;
          await s.waitAll();
          await Promise.all(said);
          expect(made).toBeLessThanOrEqual(asks.length);
          // Nothing is held back afterwards.
          expect(await gathered.ask('a', () => Promise.resolve(-1))).toBe(-1);
        },
      ),
    );
  });
  it('are made once for all who asked while another one was being made', async () => {
    const gathered = new Gathered<number>();
    let [made, end] = [0, (): void => undefined];
    const make = (): Promise<number> => new Promise((resolve) => ((end = () => resolve(made)), made++));
    const first = gathered.ask('a', make);
    const others = Array.from({ length: 50 }, () => gathered.ask('a', make));
    end();
    expect(await first).toBe(1);
    await Promise.resolve();
    end();
    expect(new Set(await Promise.all(others))).toEqual(new Set([2]));
    expect(made).toBe(2);
  });
});
