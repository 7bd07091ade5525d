import { Directive, inject, input, TemplateRef } from '@angular/core';
import type { Loadable } from '../loadable';

/** How a column of a list shows its value: `<ng-template vsCell="state" [like]="runs()" let-run>`. */
@Directive({ selector: 'ng-template[vsCell]' })
export class CellDirective<T> {
  readonly vsCell = input.required<string>();
  /** The rows that the template is about; they give it its type. */
  readonly like = input.required<Loadable<readonly T[]>>();
  readonly template = inject<TemplateRef<{ $implicit: T }>>(TemplateRef);

  static ngTemplateContextGuard<T>(_: CellDirective<T>, context: unknown): context is { $implicit: T } {
    return context !== null;
  }
}
