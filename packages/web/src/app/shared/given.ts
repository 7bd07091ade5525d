import { Directive, ElementRef, inject, output } from '@angular/core';

type TextField = HTMLInputElement | HTMLTextAreaElement;

/** What a person wrote into a field, once they have finished with it. */
@Directive({ selector: '[vsWritten]', host: { '(change)': 'vsWritten.emit(field.value)' } })
export class WrittenDirective {
  readonly vsWritten = output<string>();
  protected readonly field = inject<ElementRef<TextField>>(ElementRef).nativeElement;
}

/** What stands in a field, with every key. */
@Directive({ selector: '[vsTyped]', host: { '(input)': 'vsTyped.emit(field.value)' } })
export class TypedDirective {
  readonly vsTyped = output<string>();
  protected readonly field = inject<ElementRef<TextField>>(ElementRef).nativeElement;
}

/** Whether a box is ticked, once a person changed it. */
@Directive({ selector: '[vsTicked]', host: { '(change)': 'vsTicked.emit(box.checked)' } })
export class TickedDirective {
  readonly vsTicked = output<boolean>();
  protected readonly box = inject<ElementRef<HTMLInputElement>>(ElementRef).nativeElement;
}

/** What people give by fields and boxes, with its type: for the `imports` of a component. */
export const GIVEN = [WrittenDirective, TypedDirective, TickedDirective] as const;
