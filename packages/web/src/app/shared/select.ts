import { afterEveryRender, Directive, ElementRef, inject } from '@angular/core';
import { NzSelectModule } from 'ng-zorro-antd/select';

/** NG-ZORRO leaves the input inside a select without a name; it gets the one that stands on the select. */
@Directive({ selector: 'nz-select[aria-label], nz-select[aria-labelledby]' })
export class SelectNameDirective {
  constructor() {
    const host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    afterEveryRender(() => {
      const input = host.querySelector('input');
      for (const name of ['aria-label', 'aria-labelledby']) {
        const value = host.getAttribute(name);
        if (input && value !== null && input.getAttribute(name) !== value) input.setAttribute(name, value);
      }
    });
  }
}

/** What a template with a select imports. */
export const SELECT = [NzSelectModule, SelectNameDirective] as const;
