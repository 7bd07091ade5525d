import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideStore } from '@ngrx/store';
import type { Calendar } from '@versicle/contract';
import { of, throwError, type Observable } from 'rxjs';
import { frameFeature } from '../frame/frame.feature';
import { Api, ServerProblem } from '../shared/api';
import { CalendarsComponent } from './calendars.component';
import * as effects from './settings.effects';
import { settingsFeature } from './settings.feature';

const holidays: Calendar = {
  name: 'public-holidays',
  days: ['2020-12-25', '2999-01-01'],
  from: 'list',
  usedBy: [],
  updatedBy: 'Ines Marlowe',
  updatedAt: '2026-11-30T06:00:00.000Z',
};

describe('the calendars in the settings', () => {
  let calendars: Calendar[] = [];
  let answer: (name: string, asked: unknown) => Observable<unknown>;
  const calls: [string, unknown][] = [];
  beforeEach(() => {
    calendars = [holidays];
    calls.length = 0;
    answer = () => of({});
    const api = {
      call: (name: string, asked: unknown) => {
        if (name === 'listCalendars') return of(calendars);
        calls.push([name, asked]);
        return answer(name, asked);
      },
    };
    TestBed.configureTestingModule({
      providers: [
        provideRouter([]),
        provideStore({ [settingsFeature.name]: settingsFeature.reducer, [frameFeature.name]: frameFeature.reducer }),
        provideEffects(effects),
        { provide: Api, useValue: api },
      ],
    });
  });
  const shown = () => {
    const fixture = TestBed.createComponent(CalendarsComponent);
    fixture.detectChanges();
    const page = fixture.nativeElement as HTMLElement;
    const see = async (): Promise<void> => {
      fixture.detectChanges();
      await fixture.whenStable();
      fixture.detectChanges();
    };
    const words = (element: Element): string => element.textContent!.replace(/\s+/g, ' ').trim();
    return {
      page,
      see,
      lines: () => [...page.querySelectorAll('.line')].map((line) => [...line.children].slice(0, 3).map(words)),
      press: async (name: RegExp): Promise<void> => {
        [...page.querySelectorAll('button')].find((b) => name.test(b.getAttribute('aria-label') ?? words(b)))!.click();
        await see();
      },
      write: async (name: string, text: string): Promise<void> => {
        const field = page.querySelector<HTMLInputElement>(`[name=${name}]`)!;
        field.value = text;
        field.dispatchEvent(new Event('input'));
        await see();
      },
      save: async (): Promise<void> => {
        page.querySelector('form')!.dispatchEvent(new Event('submit'));
        await see();
      },
      form: () => page.querySelector('form'),
      field: (name: string) => page.querySelector<HTMLInputElement>(`[name=${name}]`)!.value,
      problem: () => page.querySelector('[role=alert]')?.textContent ?? null,
    };
  };

  it('say how many days each has, which is next, and which plans use it', () => {
    calendars = [
      holidays,
      { ...holidays, name: 'closed', days: ['2020-01-01'], from: 'icalendar', usedBy: [{ id: 'night', name: 'Each night' }] }, // prettier-ignore
    ];
    expect(shown().lines()).toEqual([
      ['public-holidays', '2 days; next 2999-01-01', 'used by no plan'],
      ['closed', '1 day, from an iCalendar file; none from today on', 'Each night'],
    ]);
  });
  it('keep what was written until it is kept there, also where it is refused', async () => {
    const settings = shown();
    await settings.press(/New calendar/);
    await settings.write('name', ' closed ');
    await settings.write('days', '2026-12-25, 2026-12-26\n25.12.2027');
    answer = () => throwError(() => new ServerProblem('“25.12.2027” is not a day such as 2026-12-25.', 422));
    await settings.save();
    expect(calls).toEqual([['saveCalendar', { params: { name: 'closed' }, body: { days: ['2026-12-25', '2026-12-26', '25.12.2027'] } }]]); // prettier-ignore
    expect(settings.problem()).toBe('“25.12.2027” is not a day such as 2026-12-25.');
    expect([settings.field('name'), settings.field('days')]).toEqual([' closed ', '2026-12-25, 2026-12-26\n25.12.2027']); // prettier-ignore
    answer = () => {
      calendars = [...calendars, { ...holidays, name: 'closed' }];
      return of({});
    };
    await settings.save();
    expect([settings.form(), settings.problem()]).toEqual([null, null]);
    expect(settings.lines().map(([name]) => name)).toEqual(['public-holidays', 'closed']);
  });
  it('are changed under their name, which stays', async () => {
    const settings = shown();
    await settings.press(/Change public-holidays/);
    expect([settings.field('name'), settings.field('days')]).toEqual(['public-holidays', '2020-12-25\n2999-01-01']);
    expect(settings.page.querySelector<HTMLInputElement>('[name=name]')!.readOnly).toBe(true);
    await settings.write('days', '2030-01-01');
    await settings.save();
    expect(calls).toEqual([['saveCalendar', { params: { name: 'public-holidays' }, body: { days: ['2030-01-01'] } }]]);
  });
  it('are removed once somebody has said yes', async () => {
    const settings = shown();
    await settings.press(/Remove public-holidays/);
    expect(settings.page.querySelector('vs-ask')!.textContent).toContain('Its 2 days are gone then.');
    expect(calls).toEqual([]);
    answer = () => throwError(() => new ServerProblem('The plan “Each night” uses it.', 409));
    await settings.press(/^Remove it$/);
    expect(calls).toEqual([['deleteCalendar', { params: { name: 'public-holidays' } }]]);
    expect(settings.problem()).toBe('The plan “Each night” uses it.');
    expect(settings.lines()).toHaveLength(1);
  });
});
