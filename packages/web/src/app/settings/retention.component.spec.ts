import { TestBed } from '@angular/core/testing';
import { provideStore, Store } from '@ngrx/store';
import type { Retention } from '@versicle/contract';
import { RetentionComponent } from './retention.component';
import { settingsActions as a, settingsFeature } from './settings.feature';

const retention = {
  kept: [
    { name: 'runs', days: 90, megabytes: null, rows: 1204, bytes: 5_000_000, oldest: '2026-11-01T00:00:00.000Z' },
    { name: 'logs', days: 30, megabytes: 500, rows: 0, bytes: 0, oldest: null },
  ],
  waiting: { rows: 0, bytes: 0, oldest: null },
  bytes: 80_000_000,
} as unknown as Retention;

describe('what is kept', () => {
  const shown = () => {
    TestBed.configureTestingModule({ providers: [provideStore({ [settingsFeature.name]: settingsFeature.reducer })] });
    const store = TestBed.inject(Store);
    const fixture = TestBed.createComponent(RetentionComponent);
    const dispatched = jest.spyOn(store, 'dispatch');
    const come = (of: Retention): void => {
      store.dispatch(a.retentionLoaded({ retention: of }));
      fixture.detectChanges();
    };
    come(retention);
    const page = fixture.nativeElement as HTMLElement;
    const field = (label: string): HTMLInputElement => page.querySelector(`[aria-label="${label}"]`)!;
    const button = (words: RegExp): HTMLButtonElement =>
      [...page.querySelectorAll('button')].find((b) => words.test(b.textContent!))!;
    return {
      page,
      come,
      field,
      button,
      asked: () => dispatched.mock.calls.map(([action]) => action as unknown as { type: string }).filter((x) => x.type !== a.retentionLoaded.type && x.type !== a.retentionOpened.type), // prettier-ignore
      write: (label: string, text: string): void => {
        field(label).value = text;
        field(label).dispatchEvent(new Event('input'));
        fixture.detectChanges();
      },
      press: (words: RegExp): void => {
        button(words).click();
        fixture.detectChanges();
      },
      problem: () => page.querySelector('[role=alert]')?.textContent ?? null,
    };
  };

  it('says what there is, how old and how large; nothing is to be kept yet', () => {
    const { page, button } = shown();
    const rows = [...page.querySelectorAll('tbody tr')].map((row) => [...row.children].slice(3).map((c) => c.textContent!.trim())); // prettier-ignore
    expect(rows[0]!.slice(0, 1)).toEqual(['1,204']);
    expect(rows[1]![2]).toBe('');
    expect(page.textContent).toContain('The whole store takes 80.0 MB.');
    expect([button(/Keep it so/).disabled, button(/Remove now/).disabled]).toEqual([true, false]);
  });
  it('is written as whole numbers, and without a bound as nothing', () => {
    const settings = shown();
    settings.write('Days for Runs', ' 365 ');
    settings.write('Megabytes for Logs', '');
    expect([settings.button(/Keep it so/).disabled, settings.button(/Remove now/).disabled]).toEqual([false, true]);
    settings.press(/Keep it so/);
    expect(settings.asked()).toEqual([
      a.saveRetention({
        retention: {
          kept: [
            { name: 'runs', days: 365, megabytes: null },
            { name: 'logs', days: 30, megabytes: null },
          ],
        },
      }),
    ]);
  });
  it.each(['0', '-1', '1.5', 'a year', '', '12345678'])(
    'refuses %j days, with what to write, and asks nobody',
    (text) => {
      const settings = shown();
      settings.write('Days for Logs', text);
      settings.press(/Keep it so/);
      expect(settings.problem()).toBe('Logs: write whole numbers from 1 on; without a bound, no megabytes.');
      expect([settings.asked(), settings.field('Days for Logs').value]).toEqual([[], text]);
    },
  );
  it('stays as it is being written while figures come in', () => {
    const settings = shown();
    settings.write('Days for Runs', '365');
    settings.come({ ...retention, kept: retention.kept.map((k) => ({ ...k, rows: k.rows + 1 })) });
    expect(settings.field('Days for Runs').value).toBe('365');
    settings.come({ ...retention, kept: retention.kept.map((k) => (k.name === 'runs' ? { ...k, days: 30 } : k)) });
    expect(settings.field('Days for Runs').value).toBe('30');
  });
  it('is removed at once when somebody has said yes', () => {
    const settings = shown();
    settings.press(/Remove now/);
    expect(settings.asked()).toEqual([]);
    settings.press(/Remove it now/);
    expect(settings.asked()).toEqual([a.removeOld()]);
  });
});
