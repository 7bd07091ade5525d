import { TestBed } from '@angular/core/testing';
import { provideRouter, Router } from '@angular/router';
import type { Found } from '@versicle/contract';
import { of, Subject, throwError, type Observable } from 'rxjs';
import { Guide } from '../help/guide';
import { Api, ServerProblem } from '../shared/api';
import { FinderComponent } from './finder.component';

const found = (over: Partial<Found>): Found => ({
  what: 'mapping',
  id: 'bikes',
  of: null,
  system: null,
  name: 'Bikes to workshop register',
  note: '',
  ...over,
});
const tick = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 90));

describe('the finder', () => {
  let asked: string[] = [];
  let answer: (text: string) => Observable<Found[]> = () => of([]);
  beforeEach(() => {
    // Nothing is laid out here.
    Element.prototype.scrollIntoView = () => undefined;
    asked = [];
    answer = () => of([]);
    const api = {
      call: (_name: string, { query }: { query: { text: string } }) => {
        asked.push(query.text);
        return answer(query.text);
      },
    };
    TestBed.configureTestingModule({
      providers: [
        provideRouter([]),
        { provide: Api, useValue: api },
        { provide: Guide, useValue: { find: () => of([]) } },
      ],
    });
  });
  const shown = () => {
    const fixture = TestBed.createComponent(FinderComponent);
    const went: unknown[] = [];
    let isClosed = false;
    fixture.componentInstance.closed.subscribe(() => (isClosed = true));
    jest.spyOn(TestBed.inject(Router), 'navigate').mockImplementation((path, extras) => {
      went.push([path, extras?.queryParams ?? null]);
      return Promise.resolve(true);
    });
    fixture.detectChanges();
    const page = fixture.nativeElement as HTMLElement;
    const box = page.querySelector('input')!;
    const see = (): void => fixture.detectChanges();
    return {
      went,
      closed: () => isClosed,
      type: async (text: string): Promise<void> => {
        box.value = text;
        box.dispatchEvent(new Event('input'));
        see();
        await tick();
        see();
      },
      press: (key: string): void => {
        box.dispatchEvent(new KeyboardEvent('keydown', { key }));
        see();
      },
      see: async (): Promise<void> => {
        await tick();
        see();
      },
      options: (): string[] =>
        [...page.querySelectorAll('[role=option]')].map((o) => o.textContent!.replace(/\s+/g, ' ').trim()),
      at: (): string => page.querySelector('[aria-selected=true]')!.textContent!.replace(/\s+/g, ' ').trim(),
      told: (): string => page.querySelector('[role=status]')!.textContent!.trim(),
    };
  };

  it('shows pages before anything is typed, then pages and what the server finds', async () => {
    answer = () => of([found({ note: 'revision 2' }), found({ what: 'plan', id: 'night', name: 'Bikes, each night' })]);
    const finder = shown();
    expect(finder.options()[0]).toBe('pageToday');
    await finder.type('bikes');
    expect(asked).toEqual(['bikes']);
    expect(finder.options()).toEqual(['mappingBikes to workshop register revision 2', 'planBikes, each night']);
    expect(finder.told()).toBe('2 found; first mapping Bikes to workshop register');
    await finder.type('runs');
    expect(finder.options()[0]).toBe('pageRuns');
  });

  it('goes through what it found by the arrows, round and round, and opens it by Enter', async () => {
    answer = () => of([found({}), found({ what: 'line', of: 'trips', id: 'l3', name: 'distance_km' })]);
    const finder = shown();
    await finder.type('zz');
    finder.press('ArrowDown');
    expect(finder.at()).toBe('linedistance_km');
    finder.press('ArrowDown');
    expect(finder.at()).toBe('mappingBikes to workshop register');
    finder.press('ArrowUp');
    finder.press('Enter');
    expect(finder.went).toEqual([[['/mappings', 'trips'], { line: 'l3' }]]);
    expect(finder.closed()).toBe(true);
  });

  it('opens what it finds for the text that Enter was pressed on, however late that comes', async () => {
    const late = new Subject<Found[]>();
    answer = () => late;
    const finder = shown();
    await finder.type('tb-00');
    expect(finder.options()).toEqual(['Looking …']);
    finder.press('Enter');
    expect(finder.went).toEqual([]);
    late.next([found({ what: 'failed record', id: '17', of: 'trips', name: 'TB-0042' })]);
    late.complete();
    await finder.see();
    expect(finder.went).toEqual([[['/failures'], { state: 'any', mapping: 'trips', record: '17' }]]);
  });

  it('says that nothing is called so, and what is wrong where it can’t look', async () => {
    const finder = shown();
    await finder.type('qqqq');
    expect(finder.options()).toEqual(['Nothing is called “qqqq”, or like it.']);
    expect(finder.told()).toBe('Nothing found');
    answer = () => throwError(() => new ServerProblem('The store is away.', 503));
    await finder.type('wwww');
    expect(finder.options()).toEqual(['The store is away.']);
    // The next text is looked for again.
    answer = () => of([found({})]);
    await finder.type('wwwww');
    expect(finder.options()).toEqual(['mappingBikes to workshop register']);
  });
});
