import { provideRouter } from '@angular/router';
import { TestBed } from '@angular/core/testing';
import type { Today } from '@versicle/contract';
import { DayStripComponent } from './day-strip.component';

const NOW = new Date(2026, 10, 29, 9, 40).toISOString();
const hours = (n: number): string => new Date(Date.parse(NOW) + n * 3_600_000).toISOString();
const run = (id: number, plan: string, from: number, to: number | null, state = 'finished') => ({
  run: id,
  plan,
  planName: plan,
  state,
  failed: 2,
  from: hours(from),
  to: to === null ? null : hours(to),
});

describe('the strip of the day', () => {
  const shown = (day: object[], due: object[] = []) => {
    TestBed.configureTestingModule({ providers: [provideRouter([])] });
    const fixture = TestBed.createComponent(DayStripComponent);
    fixture.componentRef.setInput('today', { now: NOW, day, due } as unknown as Today);
    fixture.detectChanges();
    return fixture.nativeElement as HTMLElement;
  };
  it('has a lane for each plan, and says of each run what became of it', () => {
    const page = shown([
      run(1, 'Trips', -5, -4),
      run(2, 'Stations', -3, -2, 'broken'),
      run(3, 'Trips', -0.5, null, 'running'),
    ]);
    expect([...page.querySelectorAll('.name')].map((n) => n.textContent)).toEqual(['Trips', 'Stations']);
    const bars = [...page.querySelectorAll<HTMLElement>('.area a')];
    expect(bars.map((b) => b.className)).toEqual(['', 'run', 'bad']);
    expect(bars[0]!.getAttribute('aria-label')).toBe('Run 1, Trips: finished, began 04:40:00, took 60 min, 2 failed');
    expect(bars[1]!.getAttribute('aria-label')).toContain('running for 30 min');
  });
  it('shows what is due, also of plans that have not run', () => {
    const at = (hour: number): string => hours(hour);
    const page = shown(
      [run(1, 'Trips', -5, -4)],
      [
        { plan: 'Night', planName: 'Night', at: at(3) },
        { plan: 'Night', planName: 'Night', at: at(9) },
      ],
    );
    expect([...page.querySelectorAll('.name')].map((n) => n.textContent)).toEqual(['Night', 'Trips']);
    const due = [...page.querySelectorAll<HTMLElement>('.due')];
    expect(due.map((d) => parseFloat(d.style.left))).toEqual([75, (33 / 36) * 100]);
    expect(due[0]!.getAttribute('aria-label')).toMatch(/^Night is due /);
  });
  it('begins at its edge what began before it, and keeps the shortest to be seen', () => {
    const page = shown([run(1, 'Trips', -30, -23), run(2, 'Trips', -1, -1)]);
    const [long, short] = [...page.querySelectorAll<HTMLElement>('.area a')];
    expect(long!.style.left).toBe('0%');
    expect(parseFloat(short!.style.width)).toBeGreaterThan(0);
  });
  it('names hours, none of them over the time that it is', () => {
    const texts = [...shown([]).querySelectorAll('.h')].map((h) => h.textContent);
    expect(texts[0]).toBe('09:40');
    expect(texts).toContain('03:00');
    expect(texts).not.toContain('09:00');
  });
});
