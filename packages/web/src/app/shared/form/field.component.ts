import { afterEveryRender, ChangeDetectionStrategy, Component, ElementRef, inject, input } from '@angular/core';

let made = 0;

/**
 * A control with its label, and where there is one its help and what is wrong with it; the control inside is named by the
 * label and described by the rest, whatever it is: a field, a choice, a text of several lines.
 */
@Component({
  selector: 'vs-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <label [id]="id + '-name'" [attr.for]="id"
      >{{ label() }}
      @if (required()) {
        <span i18n class="must">required</span>
      }
    </label>
    <ng-content />
    @if (help()) {
      <small [id]="id + '-help'">{{ help() }}</small>
    }
    @if (problem()) {
      <small class="rub" role="alert" [id]="id + '-problem'">{{ problem() }}</small>
    }
  `,
  styles: `
    .must {
      color: var(--ink-3);
      font-weight: 400;
    }
  `,
  host: { class: 'field' },
})
export class FieldComponent {
  readonly label = input.required<string>();
  readonly help = input<string>('');
  readonly problem = input<string>('');
  readonly required = input(false);
  protected readonly id = `field-${++made}`;

  constructor() {
    const host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    afterEveryRender(() => {
      const control = host.querySelector<HTMLElement>('input, textarea, select, [contenteditable]');
      // An editor has its own name; whatever stands below it is none of this label's.
      if (!control || control.isContentEditable) return;
      const label = host.querySelector('label')!;
      if (control.id === '') control.id = this.id;
      if (label.htmlFor !== control.id) label.htmlFor = control.id;
      const described = [this.help() && `${this.id}-help`, this.problem() && `${this.id}-problem`]
        .filter(Boolean)
        .join(' ');
      if ((control.getAttribute('aria-describedby') ?? '') !== described)
        if (described) control.setAttribute('aria-describedby', described);
        else control.removeAttribute('aria-describedby');
      const invalid = this.problem() ? 'true' : null;
      if (control.getAttribute('aria-invalid') !== invalid)
        if (invalid) control.setAttribute('aria-invalid', invalid);
        else control.removeAttribute('aria-invalid');
    });
  }
}
