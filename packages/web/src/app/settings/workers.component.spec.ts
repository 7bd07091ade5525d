import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideStore, Store } from '@ngrx/store';
import type { WorkerInfo } from '@versicle/contract';
import { settingsActions as a, settingsFeature } from './settings.feature';
import { WorkersComponent } from './workers.component';

const worker = (over: Partial<WorkerInfo>): WorkerInfo => ({
  id: 'w1',
  host: 'desk',
  pid: 4170,
  work: 'all',
  version: '0.1.0',
  address: 'http://127.0.0.1:4170',
  isThis: true,
  startedAt: '2026-11-30T06:00:00.000Z',
  seenAt: '2026-11-30T07:00:00.000Z',
  silent: false,
  runs: [],
  sends: [],
  listens: [],
  profiles: [],
  duties: [],
  ...over,
});

describe('the processes in the settings', () => {
  const shown = (...workers: WorkerInfo[]): HTMLElement => {
    TestBed.configureTestingModule({
      providers: [provideStore({ [settingsFeature.name]: settingsFeature.reducer }), provideRouter([])],
    });
    const fixture = TestBed.createComponent(WorkersComponent);
    TestBed.inject(Store).dispatch(a.workersLoaded({ workers }));
    fixture.detectChanges();
    const element = fixture.nativeElement as HTMLElement;
    fixture.destroy();
    return element;
  };
  const words = (element: Element): string => element.textContent!.replace(/\s+/g, ' ').trim();

  it('say what each is at, and which of them is not heard of any more', () => {
    const element = shown(
      worker({ runs: [7], sends: ['ledger/members'], duties: ['plans', 'house'] }),
      worker({ id: 'w2', pid: 4171, isThis: false, work: 'runs', address: null, silent: true }),
    );
    const rows = [...element.querySelectorAll('tbody tr')].map((row) => [...row.children].map(words));
    expect(rows.map(([process, does, at, duties]) => [process, does, at!.replace(' ,', ','), duties])).toEqual([
      [
        'process 4170 on desk answers this page',
        'serves pages, carries runs out',
        'run 7, sends to ledger/members',
        'what is due, what is old',
      ],
      ['process 4171 on desk answers nobody', 'carries runs out only', 'nothing now', ''],
    ]);
    expect(rows.map((cells) => /silent since/.test(cells[5]!))).toEqual([false, true]);
    expect(element.querySelector('a')!.getAttribute('href')).toBe('/runs/7');
    expect(words(element)).not.toContain('None of them carries runs out');
  });
  it('say so where none of them carries runs out', () => {
    expect(words(shown(worker({ work: 'pages' })))).toContain('None of them carries runs out');
    TestBed.resetTestingModule();
    const silent = worker({ id: 'w2', work: 'runs', isThis: false, silent: true });
    expect(words(shown(worker({ work: 'pages' }), silent))).toContain('None of them carries runs out');
  });
});
