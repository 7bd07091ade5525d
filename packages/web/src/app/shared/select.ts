import { afterEveryRender, Directive, ElementRef, inject } from '@angular/core';
import { NzSelectModule } from 'ng-zorro-antd/select';

let made = 0;

/**
 * NG-ZORRO leaves the input inside a select without a name, a role or a state, and its options as mere boxes; here it becomes
 * a combobox with a list: named as the select is, with what is chosen, whether it is open, and which option is gone to.
 */
@Directive({ selector: 'nz-select' })
export class SelectNameDirective {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly id = `choices-${++made}`;

  constructor() {
    afterEveryRender(() => {
      const input = this.host.querySelector('input');
      if (!input) return;
      for (const name of ['aria-label', 'aria-labelledby']) {
        const value = this.host.getAttribute(name);
        if (value !== null) give(input, name, value);
      }
      const open = this.host.classList.contains('ant-select-open');
      const chosen = [...this.host.querySelectorAll('.ant-select-selection-item')].map((e) => e.textContent.trim());
      give(input, 'role', 'combobox');
      give(input, 'aria-haspopup', 'listbox');
      give(input, 'aria-expanded', String(open));
      give(input, 'aria-description', chosen.join(', ') || null);
      // Images called “down” and “close-circle” say nothing that the state of the box doesn’t.
      for (const arrow of this.host.querySelectorAll('.ant-select-arrow, .ant-select-clear'))
        give(arrow, 'aria-hidden', 'true');
      this.list(input, open);
    });
  }

  /** The list lies elsewhere in the page; only one is open at a time. */
  private list(input: HTMLElement, open: boolean): void {
    const list = open ? document.querySelector('.ant-select-dropdown .cdk-virtual-scroll-content-wrapper') : null;
    give(input, 'aria-controls', list ? this.id : null);
    let lit: string | null = null;
    if (list) {
      give(list, 'role', 'listbox');
      give(list, 'id', this.id);
      give(list, 'aria-label', input.getAttribute('aria-label') ?? $localize`Choices`);
      for (const [i, option] of [...list.querySelectorAll('.ant-select-item-option')].entries()) {
        give(option, 'role', 'option');
        give(option, 'id', `${this.id}-${i}`);
        give(option, 'aria-selected', String(option.classList.contains('ant-select-item-option-selected')));
        if (option.classList.contains('ant-select-item-option-active')) lit = option.id;
      }
    }
    give(input, 'aria-activedescendant', lit);
  }
}

function give(element: Element, name: string, value: string | null): void {
  if (element.getAttribute(name) === value) return;
  if (value === null) element.removeAttribute(name);
  else element.setAttribute(name, value);
}

/** What a template with a select imports. */
export const SELECT = [NzSelectModule, SelectNameDirective] as const;
