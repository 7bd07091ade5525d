import { Component, input, output } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { ConditionsComponent, type Condition } from './conditions.component';
import { RuleEditorComponent } from './rule-editor.component';

/** In the place of the editor, which needs a real browser: a field with the same inputs. */
@Component({
  selector: 'vs-rule-editor',
  template: `<input [attr.aria-label]="label()" [value]="text()" (input)="changed.emit(box.value)" #box />`,
})
class PlainEditorComponent {
  readonly text = input.required<string>();
  readonly label = input.required<string>();
  readonly fields = input<unknown>();
  readonly marks = input<unknown>();
  readonly changed = output<string>();
}

describe('conditions of a document', () => {
  afterEach(() => sessionStorage.clear());
  beforeEach(() =>
    TestBed.overrideComponent(ConditionsComponent, {
      remove: { imports: [RuleEditorComponent] },
      add: { imports: [PlainEditorComponent] },
    }),
  );
  const shown = (items: readonly Condition[]) => {
    const fixture = TestBed.createComponent(ConditionsComponent);
    const inputs = {
      items,
      words: { one: 'Check', add: 'Add a check', says: 'Said by', hint: 'what is wrong' },
      fields: [],
      marks: () => [],
      problem: () => null,
      place: 'trips:checks',
      freeId: (taken: readonly string[]) => `c${String(taken.length + 7).padStart(2, '0')}`,
    };
    for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
    fixture.detectChanges();
    const page = fixture.nativeElement as HTMLElement;
    const said: unknown[] = [];
    fixture.componentInstance.kept.subscribe((c) => said.push(c));
    fixture.componentInstance.removed.subscribe((id) => said.push(id));
    const write = (label: string, text: string): void => {
      const box = page.querySelector<HTMLInputElement>(`input[aria-label="${label}"]`)!;
      box.value = text;
      box.dispatchEvent(new Event('input'));
      box.dispatchEvent(new Event('change'));
      fixture.detectChanges();
    };
    const press = (label: string): void => {
      [...page.querySelectorAll('button')]
        .find((b) => (b.getAttribute('aria-label') ?? b.textContent!.trim()) === label)!
        .click();
      fixture.detectChanges();
    };
    return { page, said, write, press };
  };

  it('come into the document once they say when and what, and never with words of ours', () => {
    const { page, said, write, press } = shown([]);
    press('Add a check');
    expect(page.textContent).toContain('Not in the document yet: it needs a condition and its words.');
    write('Check c07', 'age > 5');
    expect(said).toEqual([]);
    expect(page.textContent).toContain('it needs its words');
    write('Said by c07', 'Too young');
    expect(said).toEqual([{ id: 'c07', rule: 'age > 5', says: 'Too young' }]);
  });
  it('keep what the document has while they are written anew', () => {
    const { page, said, write, press } = shown([{ id: 'c01', rule: 'a > 1', says: 'Small' }]);
    write('Check c01', '');
    expect(page.textContent).toContain('The document keeps what it had; this needs a condition.');
    write('Check c01', 'a > 2');
    expect(said).toEqual([{ id: 'c01', rule: 'a > 2', says: 'Small' }]);
    press('Remove c01');
    expect(said.at(-1)).toBe('c01');
  });
  it('wait in this browser while they are not complete, and are gone when they are', () => {
    const first = shown([]);
    first.press('Add a check');
    first.write('Check c07', 'age > 5');
    const back = shown([]);
    expect(back.page.querySelector<HTMLInputElement>('input[aria-label="Check c07"]')!.value).toBe('age > 5');
    back.write('Said by c07', 'Too young');
    expect(back.said).toEqual([{ id: 'c07', rule: 'age > 5', says: 'Too young' }]);
    expect(shown([]).page.querySelector('input')).toBeNull();
    sessionStorage.setItem('versicle.unfinished:trips:checks', '[null, {"id": 4}]');
    expect(shown([]).page.querySelector('input')).toBeNull();
  });
});
