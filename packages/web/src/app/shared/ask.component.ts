import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';
import { GIVEN } from './given';
import { FieldComponent } from './form/field.component';
import { SurfaceDirective } from './surface.directive';

/**
 * What will happen, in a sentence with its figures, before it does; a reason where one is kept. Escape and the last button
 * let it be. The sentence is what stands inside.
 */
@Component({
  selector: 'vs-ask',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, SurfaceDirective, GIVEN],
  template: `
    <form
      vsSurface
      role="alertdialog"
      [attr.aria-label]="about()"
      (submit)="$event.preventDefault(); say(done)"
      (keydown.escape)="$event.stopPropagation(); letBe.emit()"
    >
      <div class="what"><ng-content /></div>
      @if (reason(); as title) {
        <vs-field [label]="title" [problem]="problem()">
          <input class="input" data-first maxlength="500" autocomplete="off" (vsTyped)="why.set($event)" />
        </vs-field>
      }
      <div class="acts">
        <button type="submit" class="btn first" [disabled]="busy()">{{ does() }}</button>
        @if (also(); as words) {
          <button type="button" class="btn" [disabled]="busy()" (click)="say(alsoDone)">{{ words }}</button>
        }
        <button i18n type="button" class="btn quiet" (click)="letBe.emit()">Not now</button>
      </div>
    </form>
  `,
  styles: `
    form {
      background: var(--act-wash);
      border-left: 3px solid var(--act);
      padding: 10px 14px;
      margin: 12px 0;
    }
    .what {
      font: 14.4px/1.45 var(--serif);
      margin-bottom: 8px;
      &:empty {
        display: none;
      }
    }
    .acts {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
    }
  `,
})
export class AskComponent {
  /** What it is about; the name of the dialog. */
  readonly about = input.required<string>();
  /** What the button does, with its figure. */
  readonly does = input.required<string>();
  /** What else can be done instead. */
  readonly also = input<string>('');
  /** Asks for a reason, under these words; nothing is done without one. */
  readonly reason = input<string>('');
  readonly busy = input(false);
  readonly done = output<string>();
  readonly alsoDone = output<string>();
  readonly letBe = output();
  protected readonly why = signal('');
  protected readonly problem = signal('');

  protected say(to: { emit: (reason: string) => void }): void {
    const why = this.why().trim();
    this.problem.set(this.reason() && why === '' ? $localize`A reason must stand here.` : '');
    if (this.problem() === '') to.emit(why);
  }
}
