import { Component, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { provideRouter, Router } from '@angular/router';
import { RouterTestingHarness } from '@angular/router/testing';
import { loaded, loading, idle, failed, type Loadable } from '../loadable';
import { CellDirective } from './cell.directive';
import { type Column, finding, nextOrder, orderOf, sorted } from './column';
import { ListComponent, type RowKey } from './list.component';

interface Bike {
  readonly id: number;
  readonly name: string;
  readonly trips: number | null;
}
const bikes = (n: number): Bike[] =>
  Array.from({ length: n }, (_, i) => ({ id: i, name: `Bike ${i}`, trips: i % 3 === 0 ? null : i }));
const columns: readonly Column<Bike>[] = [
  { key: 'name', title: 'Bike', value: (b) => b.name },
  { key: 'trips', title: 'Trips', figures: true, value: (b) => b.trips },
  { key: 'act', title: '' },
];

@Component({
  imports: [ListComponent, CellDirective],
  template: `
    <vs-list
      heading="Bikes"
      finds="Find a bike"
      none="No bike yet."
      [of]="of()"
      [columns]="columns"
      [key]="key"
      [(chosen)]="chosen"
      [more]="more()"
      [choosing]="true"
      (moreAsked)="asked.set(asked() + 1)"
    >
      <ng-template vsCell="name" [like]="of()" let-b
        ><a href="#{{ b.id }}" (click)="opened.set(b.id); $event.preventDefault()">{{ b.name }}</a></ng-template
      >
    </vs-list>
  `,
})
class PageComponent {
  readonly of = signal<Loadable<readonly Bike[]>>(loaded(bikes(3)));
  readonly more = signal(false);
  readonly chosen = signal<ReadonlySet<RowKey>>(new Set());
  readonly asked = signal(0);
  readonly opened = signal(-1);
  readonly columns = columns;
  readonly key = (b: Bike): number => b.id;
}

async function page(url = '/'): Promise<{ page: PageComponent; host: HTMLElement; settle: () => Promise<void> }> {
  TestBed.configureTestingModule({ providers: [provideRouter([{ path: '**', component: PageComponent }])] });
  const harness = await RouterTestingHarness.create(url);
  const settle = async (): Promise<void> => {
    await harness.fixture.whenStable();
    harness.detectChanges();
  };
  await settle();
  return {
    page: harness.routeDebugElement!.componentInstance as PageComponent,
    host: harness.routeNativeElement!,
    settle,
  };
}
const names = (host: HTMLElement): string[] => [...host.querySelectorAll('tbody a')].map((a) => a.textContent!);
const press = (element: Element, key: string): void =>
  void element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));

describe('a list', () => {
  it('finds, and keeps what was asked in the address', async () => {
    const { host, settle } = await page();
    const box = host.querySelector<HTMLInputElement>('input[type=search]')!;
    expect(box.getAttribute('aria-label')).toBe('Find a bike');
    box.value = 'bike 2';
    box.dispatchEvent(new Event('input'));
    await settle();
    expect(names(host)).toEqual(['Bike 2']);
    expect(TestBed.inject(Router).url).toBe('/?search=bike%202');
    expect(host.querySelector('[role=status]')!.textContent).toContain('1 of 3 found');
  });
  it('sorts by a column: figures the largest first, then the smallest, then as it came', async () => {
    const { page: p, host, settle } = await page('/?sort=trips');
    p.of.set(loaded(bikes(6)));
    await settle();
    expect(names(host)).toEqual(['Bike 1', 'Bike 2', 'Bike 4', 'Bike 5', 'Bike 0', 'Bike 3']);
    const head = [...host.querySelectorAll('th')].find((th) => th.textContent!.includes('Trips'))!;
    expect(head.getAttribute('aria-sort')).toBe('ascending');
    head.querySelector('button')!.click();
    await settle();
    expect(names(host)[0]).toBe('Bike 0');
    head.querySelector('button')!.click();
    await settle();
    expect(names(host)[0]).toBe('Bike 5');
  });
  it('says what is empty, what was not found, what is awaited and what went wrong', async () => {
    const { page: p, host, settle } = await page('/?search=nothing');
    expect(host.textContent).toContain('Nothing here has “nothing” in it.');
    p.of.set(loading(idle()));
    await settle();
    expect(host.textContent).toContain('Loading …');
    p.of.set(failed('The server does not answer.', idle()));
    await settle();
    expect(host.querySelector('[role=alert]')!.textContent).toContain('does not answer');
  });
  it('draws what fits and shows more when asked; what the server has is asked for at the end', async () => {
    const { page: p, host, settle } = await page();
    p.of.set(loaded(bikes(450)));
    p.more.set(true);
    await settle();
    expect(names(host)).toHaveLength(200);
    const more = (): HTMLButtonElement => host.querySelector('.more button')!;
    for (const drawn of [400, 450]) {
      more().click();
      await settle();
      expect(names(host)).toHaveLength(drawn);
    }
    expect(p.asked()).toBe(0);
    more().click();
    expect(p.asked()).toBe(1);
  });
  it('is worked with the keyboard', async () => {
    const { page: p, host, settle } = await page();
    const rows = (): HTMLElement[] => [...host.querySelectorAll<HTMLElement>('tr[data-row]')];
    press(host.querySelector('input[type=search]')!, 'ArrowDown');
    expect(document.activeElement).toBe(rows()[0]);
    press(rows()[0]!, 'ArrowDown');
    expect(document.activeElement).toBe(rows()[1]);
    press(rows()[1]!, 'x');
    await settle();
    expect([...p.chosen()]).toEqual([1]);
    expect(host.querySelector('.bulk')!.textContent).toContain('1 chosen');
    press(rows()[1]!, 'Enter');
    expect(p.opened()).toBe(1);
    press(rows()[1]!, 'End');
    expect(document.activeElement).toBe(rows()[2]);
    press(document.body, '/');
    expect(document.activeElement).toBe(host.querySelector('input[type=search]'));
  });
  it('chooses all that are shown, and none', async () => {
    const { page: p, host, settle } = await page('/?search=1');
    p.of.set(loaded(bikes(12)));
    await settle();
    host.querySelector<HTMLInputElement>('thead input')!.click();
    await settle();
    expect([...p.chosen()]).toEqual([1, 10, 11]);
    host.querySelector<HTMLInputElement>('thead input')!.click();
    await settle();
    expect(p.chosen().size).toBe(0);
  });
});

describe('the order of a list', () => {
  const rows = [
    { id: 1, name: 'b10', trips: null },
    { id: 2, name: 'B2', trips: 4 },
    { id: 3, name: 'a', trips: 4 },
  ];
  const ids = (order: string | null): number[] => sorted(rows, columns, orderOf(order)).map((r) => r.id);
  it('takes figures in texts as figures, capitals as small letters, and leaves equals as they came', () => {
    expect(ids('name')).toEqual([3, 2, 1]);
    expect(ids('-name')).toEqual([1, 2, 3]);
    expect(ids('trips')).toEqual([2, 3, 1]);
    expect(ids('-trips')).toEqual([2, 3, 1]);
    expect(ids('nothing')).toEqual([1, 2, 3]);
    expect(ids(null)).toEqual([1, 2, 3]);
  });
  it('goes round: up, down, as it came; figures down first', () => {
    const [name, trips] = columns as never as Column<never>[];
    expect([null, 'name', '-name'].map((o) => nextOrder(orderOf(o), name!))).toEqual(['name', '-name', null]);
    expect([null, '-trips', 'trips'].map((o) => nextOrder(orderOf(o), trips!))).toEqual(['-trips', 'trips', null]);
  });
  it('finds rows that have every word somewhere', () => {
    expect(finding(rows, columns, 'B 4', () => '').map((r) => r.id)).toEqual([2]);
    expect(finding(rows, columns, 'red', (r) => (r.id === 3 ? 'Red one' : '')).map((r) => r.id)).toEqual([3]);
    expect(finding(rows, columns, '  ', () => '')).toHaveLength(3);
  });
});
