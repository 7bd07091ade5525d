import { TestBed, type ComponentFixture } from '@angular/core/testing';
import type { Code } from '@versicle/core';
import { CodeRowsComponent } from './code-rows.component';

describe('the codes of a table', () => {
  let fixture: ComponentFixture<CodeRowsComponent>;
  let given: Code[] | null;
  const element = (): HTMLElement => fixture.nativeElement as HTMLElement;
  const box = (label: string): HTMLInputElement =>
    element().querySelector<HTMLInputElement>(`[aria-label="${label}"]`)!;
  const complaint = (): string | null => element().querySelector('[role=alert]')?.textContent ?? null;
  /** What is given is what the table has from then on, as its page does it. */
  function show(codes: Code[], search = ''): void {
    fixture = TestBed.createComponent(CodeRowsComponent);
    fixture.componentRef.setInput('codes', codes);
    fixture.componentRef.setInput('search', search);
    given = null;
    fixture.componentInstance.changed.subscribe((codes) => {
      given = codes;
      fixture.componentRef.setInput('codes', codes);
    });
    fixture.detectChanges();
  }
  function add(from: string, to: string, meaning = ''): void {
    for (const [label, text] of Object.entries({ 'From code': from, 'To code': to, Meaning: meaning }))
      box(label).value = text;
    element().querySelector('form')!.dispatchEvent(new Event('submit'));
    fixture.detectChanges();
  }
  function change(label: string, text: string): void {
    box(label).value = text;
    box(label).dispatchEvent(new Event('change'));
    fixture.detectChanges();
  }

  it('are added in front, and the form is empty then', () => {
    show([{ from: 'A', to: 'MONTHLY' }]);
    add('B', ' YEARLY ', 'Yearly pass');
    expect(given).toEqual([
      { from: 'B', to: 'YEARLY', meaning: 'Yearly pass' },
      { from: 'A', to: 'MONTHLY' },
    ]);
    expect([box('From code').value, box('To code').value, box('Meaning').value]).toEqual(['', '', '']);
  });
  it('are not added twice for the same time, and what was typed stays', () => {
    show([{ from: 'A', to: 'MONTHLY' }]);
    add('A', 'YEARLY');
    expect(given).toBeNull();
    expect(complaint()).toContain('The code “A” is in the table already');
    expect(box('From code').value).toBe('A');
  });
  it('follow one that has a last day, from the day after on', () => {
    show([{ from: 'A', to: 'MONTHLY', validTo: '2026-02-28' }]);
    add('A', 'YEARLY');
    expect(given).toEqual([
      { from: 'A', to: 'YEARLY', validFrom: '2026-03-01' },
      { from: 'A', to: 'MONTHLY', validTo: '2026-02-28' },
    ]);
    add('A', 'DAY');
    expect(complaint()).toContain('in the table already');
  });
  it('are changed one by one, an empty text is none', () => {
    show([
      { from: 'A', to: 'MONTHLY', validTo: '2026-06-30' },
      { from: 'A', to: 'YEARLY', validFrom: '2026-07-01', meaning: 'Yearly pass' },
    ]);
    change('To code of A', 'MONTH');
    expect(given!.map((c) => c.to)).toEqual(['MONTH', 'YEARLY']);
    change('Valid to of A', '2026-06-29');
    expect(given![0]).toEqual({ from: 'A', to: 'MONTH', validTo: '2026-06-29' });
    change('To code of A', '');
    expect(given![0]).toEqual({ from: 'A', to: '', validTo: '2026-06-29' });
  });
  it.each([
    ['2026-02-30', /no day such as/],
    ['30.06.2026', /no day such as/],
    ['2026-07-15', /in the table already/],
  ])('do not end on %s', (day, said) => {
    show([
      { from: 'A', to: 'MONTHLY', validTo: '2026-06-30' },
      { from: 'A', to: 'YEARLY', validFrom: '2026-07-01' },
    ]);
    change('Valid to of A', day);
    expect(given).toBeNull();
    expect(complaint()).toMatch(said);
    expect(box('Valid to of A').value).toBe('2026-06-30');
  });
  it('are removed, the one of the row and no other', () => {
    show([
      { from: 'A', to: 'MONTHLY', validTo: '2026-06-30' },
      { from: 'A', to: 'YEARLY', validFrom: '2026-07-01' },
    ]);
    element().querySelectorAll<HTMLButtonElement>('td button')[1]!.click();
    expect(given).toEqual([{ from: 'A', to: 'MONTHLY', validTo: '2026-06-30' }]);
  });
  it('are found by any of their words, and drawn up to a number', () => {
    const codes = Array.from({ length: 450 }, (_, i) => ({ from: `K${i}`, to: i === 449 ? 'LAST' : 'X' }));
    show(codes);
    expect(element().querySelectorAll('tbody tr')).toHaveLength(200);
    expect(element().textContent).toContain('250 more; find a code to see it');
    show(codes, 'last');
    expect(element().querySelectorAll('tbody tr')).toHaveLength(1);
    change('To code of K449', 'END');
    expect(given![449]).toEqual({ from: 'K449', to: 'END' });
  });
});
