import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { Store } from '@ngrx/store';
import { signal } from '@angular/core';
import type { RunStep } from '@versicle/contract';
import { parseDocument, parsePlan, type MappingDocument, type PlanDocument } from '@versicle/core';
import { of as rxOf } from 'rxjs';
import { Api } from '../shared/api';
import { RunStepsComponent } from '../runs/run-steps.component';
import { proposed } from './changes-editor.component';
import { PlanSentenceComponent } from './plan-sentence.component';
import { changedWords } from './plan-side.component';
import { ScheduleEditorComponent } from './schedule-editor.component';
import { TellEditorComponent } from './tell-editor.component';
import { proposedMark, VanishedEditorComponent } from './vanished-editor.component';

const plan = (more: object = {}): PlanDocument =>
  parsePlan({
    versicle: 1,
    kind: 'plan',
    name: 'Night',
    triggers: [{ id: 't', kind: 'schedule', cron: '0 6 * * *', zone: 'Europe/London' }],
    steps: [
      { id: 'a', kind: 'mapping', mapping: 'stations' },
      { id: 'b', kind: 'mapping', mapping: 'trips', after: ['a'], when: 'a.failed = 0' },
    ],
    ...more,
  });
/** A store in which nothing is known yet. */
const store = { selectSignal: () => signal({ value: null }), dispatch: () => undefined };

describe('the plan as a text', () => {
  const shown = (): { page: HTMLElement; opened: string[]; sentence: PlanSentenceComponent } => {
    const fixture = TestBed.createComponent(PlanSentenceComponent);
    const opened: string[] = [];
    fixture.componentInstance.open.subscribe((path) => opened.push(path));
    fixture.componentRef.setInput('plan', plan());
    fixture.componentRef.setInput('names', (_: string, id: string) => `“${id}”`);
    fixture.componentRef.setInput('opened', { kind: 'step', index: 1 });
    fixture.detectChanges();
    return { page: fixture.nativeElement as HTMLElement, opened, sentence: fixture.componentInstance };
  };
  it('reads as one, with its gaps as buttons that say what they open', () => {
    const { page, opened } = shown();
    const text = [...page.querySelectorAll('p')].map((p) => p.textContent).join(' ');
    expect(text).toBe('Each day at 06:00 in Europe/London: first “stations”; then if a.failed = 0, “trips”.');
    const gaps = [...page.querySelectorAll<HTMLElement>('.gap')];
    expect(gaps.map((g) => g.getAttribute('aria-expanded'))).toEqual(['false', 'false', 'false', 'true', 'true']);
    gaps[3]!.click();
    expect(opened).toEqual(['steps[1].when']);
  });
  it('goes back to the gap that was left, or to its part where that gap is gone', () => {
    const { page, sentence } = shown();
    document.body.append(page);
    sentence.focus('steps[1].when');
    expect(document.activeElement?.textContent).toBe('a.failed = 0');
    sentence.focus('steps[0].onFail');
    expect(document.activeElement?.textContent).toBe('“stations”');
    page.remove();
  });
});

describe('what is gone from the source', () => {
  const fields = [
    { name: 'no', type: 'text', nullable: false },
    { name: 'name', type: 'text', nullable: true },
    { name: 'opened_on', type: 'date', nullable: true },
    { name: 'closed_on', type: 'date', nullable: true },
  ];
  const target = { dataset: 'store/a', key: ['no'], fields } as unknown as MappingDocument['target'];
  const editor = (vanished: unknown, of = target) => {
    const api = { call: () => rxOf({ document: { target: of } }) };
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: api }] });
    const fixture = TestBed.createComponent(VanishedEditorComponent);
    const changes: object[] = [];
    fixture.componentInstance.changed.subscribe((change) => changes.push(change));
    fixture.componentRef.setInput('step', { ...plan().steps[0]!, vanished });
    fixture.detectChanges();
    const page = fixture.nativeElement as HTMLElement;
    const own = fixture.componentInstance as unknown as { choose(how: string): void };
    return { changes, own, page, text: () => (fixture.detectChanges(), page.textContent) };
  };
  it('is marked by the day on which it ended, where there is such a field', () => {
    expect(proposedMark(target)).toEqual({ closed_on: '{{today}}' });
    expect(proposedMark({ ...target, fields: target.fields.slice(0, 2) })).toEqual({ name: null });
    const { own, changes } = editor('leave');
    own.choose('delete');
    own.choose('mark');
    expect(changes).toEqual([{ vanished: 'delete' }, { vanished: { mark: { closed_on: '{{today}}' } } }]);
  });
  it('can’t be marked where there is nothing but the key, and that is said', () => {
    const { own, changes, text } = editor('leave', { ...target, fields: target.fields.slice(0, 1) });
    own.choose('mark');
    expect(changes).toEqual([]);
    expect(text()).toContain('no field beside its key');
  });
  it('is set to values, an empty one empties; fields come and go', () => {
    const { changes, page } = editor({ mark: { closed_on: '{{today}}', name: 'gone' } });
    const [, second] = page.querySelectorAll('input.mono');
    (second as HTMLInputElement).value = '';
    second!.dispatchEvent(new Event('change'));
    const press = (words: string): void =>
      [...page.querySelectorAll('button')].find((b) => b.textContent.includes(words))!.click();
    press('Set another field');
    press('Leave out');
    expect(changes).toEqual([
      { vanished: { mark: { closed_on: '{{today}}', name: null } } },
      { vanished: { mark: { closed_on: '{{today}}', name: 'gone', opened_on: null } } },
      { vanished: { mark: { name: 'gone' } } },
    ]);
  });
});

describe('a schedule in plain words', () => {
  const editor = (cron: string) => {
    TestBed.configureTestingModule({ providers: [{ provide: Store, useValue: store }] });
    const fixture = TestBed.createComponent(ScheduleEditorComponent);
    const changes: object[] = [];
    fixture.componentInstance.changed.subscribe((change) => changes.push(change));
    fixture.componentRef.setInput('schedule', { ...plan().triggers[0]!, cron });
    fixture.detectChanges();
    // What its choices call.
    const own = fixture.componentInstance as unknown as {
      choose(every: string): void;
      setDay(day: number, is: boolean): void;
      setTime(text: string): void;
      day(text: string): number | 'L';
      whole(text: string, least: number, most: number): number;
    };
    const keep = (now: string, zone: string): void => {
      fixture.componentRef.setInput('schedule', { ...plan().triggers[0]!, cron: now, zone });
      fixture.detectChanges();
    };
    return { own, changes, keep, page: fixture.nativeElement as HTMLElement };
  };
  it('keeps its time of day when another rhythm is chosen', () => {
    const { own, changes } = editor('30 7 * * *');
    own.choose('week');
    own.choose('month');
    own.choose('day');
    expect(changes).toEqual([{ cron: '30 7 * * 1,2,3,4,5' }, { cron: '30 7 1 * *' }]);
  });
  it('changes the time, and days, of which one always stays', () => {
    const { own, changes, page } = editor('0 6 * * 1');
    expect(page.querySelectorAll('input[type=checkbox]')).toHaveLength(7);
    own.setTime('18:05');
    own.setDay(5, true);
    own.setDay(1, false);
    own.setTime('');
    expect(changes).toEqual([{ cron: '5 18 * * 1' }, { cron: '0 6 * * 1,5' }]);
  });
  it('stays a cron where somebody wants to write one while its zone is kept', () => {
    const { own, keep, page } = editor('0 6 * * *');
    own.choose('cron');
    keep('0 6 * * *', 'Europe/London');
    expect(page.querySelector<HTMLInputElement>('input.mono')?.value).toBe('0 6 * * *');
  });
  it('shows the cron where words can’t say it, and reads odd entries as the nearest that can be meant', () => {
    const { own, page } = editor('0 6,18 * * *');
    expect(page.querySelector<HTMLInputElement>('input.mono')!.value).toBe('0 6,18 * * *');
    expect([own.day('l'), own.day('99'), own.day('x'), own.whole('-4', 0, 59)]).toEqual(['L', 31, 1, 0]);
  });
});

describe('what a version changed', () => {
  it.each([
    [{}, ''],
    [{ name: 'Day' }, 'the name'],
    [{ triggers: [] }, 'what starts it'],
    [{ stop: { failed: 5 }, variables: { a: 'b' } }, 'limits, variables'],
    [
      {
        steps: [
          { id: 'b', kind: 'mapping', mapping: 'bikes' },
          { id: 'c', kind: 'mapping', mapping: 'm' },
        ],
      },
      'step b, step c is new, step a is gone',
    ],
    [{ variants: [{ name: 'v' }] }, 'other settings'],
  ])('%j', (more, words) => {
    expect(changedWords(plan(), plan(more))).toBe(words);
  });
});

describe('the steps of a run', () => {
  const run = (id: number, more: object): object => ({
    id,
    mapping: 'm',
    state: 'finished',
    error: null,
    startedAt: '2026-08-03T06:00:00.000Z',
    finishedAt: '2026-08-03T06:00:02.000Z',
    counts: { read: 1200, unchanged: 0, delivered: 1199, failed: 1, waiting: 0 },
    ...more,
  });
  beforeEach(() => {
    TestBed.configureTestingModule({ providers: [provideRouter([])] });
  });
  const rows = (steps: object[], over: boolean): string[] => {
    const fixture = TestBed.createComponent(RunStepsComponent);
    fixture.componentRef.setInput('steps', steps as RunStep[]);
    fixture.componentRef.setInput('over', over);
    fixture.detectChanges();
    const page = fixture.nativeElement as HTMLElement;
    return [...page.querySelectorAll('tbody tr')].map((r) =>
      [...r.querySelectorAll('td')].map((c) => c.textContent.trim()).join('|'),
    );
  };
  it('say what none took, where records were shared out, so that each line adds up', () => {
    const counts = { read: 24, unchanged: 9, unmatched: 14, delivered: 0, failed: 1, waiting: 0 };
    const share = {
      id: 'k',
      kind: 'share',
      words: 'shared out',
      depth: 0,
      runs: [run(7, { counts, mapping: null })],
    };
    const [line] = rows([share, { id: 'a', kind: 'mapping', words: 'Stations', depth: 1, runs: [] }], true);
    expect(line!.split('|').slice(2, 8)).toEqual(['24', '9', '14', '0', '1', '0']);
  });
  it('say what filters and skips leave out, so that each line adds up', () => {
    const counts = {
      read: 60,
      filtered: 50,
      skipped: 1,
      unchanged: 4,
      unmatched: 0,
      delivered: 3,
      failed: 2,
      waiting: 0,
    };
    const steps = [
      { id: 'a', kind: 'mapping', words: 'Trips', depth: 0, runs: [run(5, { counts })] },
      { id: 'b', kind: 'mapping', words: 'Bikes', depth: 0, runs: [] },
    ];
    const [line, waits] = rows(steps, true);
    expect(line!.split('|').slice(2, 8)).toEqual(['60', '51', '4', '3', '2', '0']);
    expect(waits).toContain('not begun');
  });
  it('say what became of each, and what nothing came to', () => {
    const steps = [
      { id: 'a', kind: 'mapping', words: 'Stations', depth: 0, runs: [run(5, {})] },
      {
        id: 'b',
        kind: 'sql',
        words: 'a statement',
        depth: 0,
        runs: [run(6, { mapping: null, state: 'broken', error: 'No such table.', counts: { read: 0, failed: 0 } })],
      },
      { id: 'c', kind: 'mapping', words: 'Trips', depth: 0, runs: [] },
    ];
    const [stations, statement, why, trips] = rows(steps, true);
    expect(stations).toBe('Stations|finished|1,200|0|1,199|1|0|2.0 s');
    expect(statement).toBe('a statement|broken||||||2.0 s');
    expect(why).toBe('No such table.');
    expect(trips).toBe('Trips|not begun');
    expect(rows(steps, false).at(-1)).toBe('Trips|waits for the steps before it');
  });
});

describe('by what records are told to be new', () => {
  const document = (structures: object, source = 't.no'): MappingDocument =>
    parseDocument({
      versicle: 1,
      name: 'Trips',
      source: { primary: { alias: 't', dataset: 'a/trips' }, structures },
      target: { dataset: 'b/trips', key: [], fields: [{ name: 'no', label: 'No', type: 'text' }] },
      lines: [{ id: 'l1', target: 'no', kind: 'straight', source }],
      write: { mode: 'upsert', existing: 'overwrite' },
    });
  const fields = (...of: [string, string][]): object => ({ 'a/trips': of.map(([name, type]) => ({ name, type })) });
  it.each([
    [fields(['no', 'text'], ['ended', 'timestamp'], ['changed', 'timestamp']), 't.changed'],
    [fields(['no', 'text'], ['Day out', 'date']), 't."Day out"'],
    [fields(['no', 'text'], ['ended', 'text']), 'CAST(t.ended AS timestamp)'],
    [{}, 'CAST(t.changed_at AS timestamp)'],
  ])('of %j: %s', (structures, field) => {
    expect(proposed(document(structures))).toEqual({ field, overlap: '1 day' });
  });
  it('is a field that lines use, where nothing else is known', () => {
    expect(proposed(document({}, 't.started_at')).field).toBe('CAST(t.started_at AS timestamp)');
  });
});

describe('who is told', () => {
  const editor = (tell: object[]) => {
    TestBed.configureTestingModule({ providers: [provideRouter([])] });
    const fixture = TestBed.createComponent(TellEditorComponent);
    const changes: object[] = [];
    fixture.componentInstance.changed.subscribe((change) => changes.push(change));
    fixture.componentRef.setInput('plan', plan({ tell }));
    fixture.detectChanges();
    return {
      changes,
      /** What was sent is kept: the page has a new document of the same words. */
      kept: (now: object[]) => {
        fixture.componentRef.setInput('plan', plan({ tell: now }));
        fixture.detectChanges();
      },
      own: fixture.componentInstance as unknown as {
        all(): readonly { by: string }[];
        add(): void;
        put(index: number, change: object): void;
        remove(index: number): void;
        listOf(text: string): string[];
      },
    };
  };
  it('stays half said while what was said before is kept', () => {
    const { own, changes, kept } = editor([]);
    own.add();
    kept((changes[0] as { tell: object[] }).tell);
    own.put(0, { by: 'mail' });
    kept((changes[0] as { tell: object[] }).tell);
    expect(own.all().map((t) => t.by)).toEqual(['mail']);
    kept([]);
    expect(own.all()).toEqual([]);
  });
  it('is kept once somebody is named', () => {
    const { own, changes } = editor([]);
    own.add();
    own.put(0, { by: 'mail' });
    own.put(0, { to: own.listOf('ops@example.org,  oda@example.org;') });
    own.put(0, { on: [] });
    own.put(0, { by: 'application', on: ['late'] });
    own.remove(0);
    const on = ['failed', 'stopped', 'recovered'];
    expect(changes).toEqual([
      { tell: [{ on, by: 'application', to: [] }] },
      { tell: [{ on, by: 'mail', to: ['ops@example.org', 'oda@example.org'] }] },
      { tell: [{ on: ['late'], by: 'application', to: [] }] },
      { tell: [] },
    ]);
  });
});
