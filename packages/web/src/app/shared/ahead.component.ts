import { ChangeDetectionStrategy, Component, computed, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { TargetFit } from '@versicle/contract';
import { SaidComponent } from './said.component';
import { FigurePipe, inWords } from './words';

/** Troubles that are shown before somebody asks for all. */
const FEW = 3;

/** What lines will have against records of their source, as its profile tells before any of them is sent. */
@Component({
  selector: 'vs-ahead',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, SaidComponent, FigurePipe],
  template: `
    <div role="status">
      <p i18n>
        <b>{{ lines() }} will fail on records that are there now,</b> as the profile of the source tells ({{
          records() | figure
        }}
        records looked at; filter and skips not asked):
      </p>
      <ul>
        @for (a of shown(); track $index) {
          <li>
            <a i18n [routerLink]="['/mappings', mapping()]" [queryParams]="{ line: a.line }"
              >Line {{ a.number }} {{ a.label }}</a
            >: <vs-said [text]="a.message" />&ngsp;<span i18n class="soft">(at least {{ counted(a.count) }})</span>
          </li>
        }
      </ul>
      @if (of().length > shown().length) {
        <button i18n type="button" class="btn quiet" (click)="all.set(true)">All {{ of().length }}</button>
      }
    </div>
  `,
  styles: `
    p {
      margin: 0;
    }
    ul {
      margin: 2px 0 4px;
      padding-left: 18px;
    }
  `,
})
export class AheadComponent {
  readonly of = input.required<TargetFit['ahead']>();
  /** How many records the profile knows. */
  readonly records = input.required<number>();
  readonly mapping = input.required<string>();
  protected readonly all = signal(false);
  protected readonly shown = computed(() => (this.all() ? this.of() : this.of().slice(0, FEW)));
  protected readonly lines = computed(() => {
    const n = new Set(this.of().map((a) => a.line)).size;
    return n === 1
      ? $localize`One line`
      : inWords(n, $localize`line`, $localize`lines`).replace(/^./, (c) => c.toUpperCase());
  });
  protected readonly counted = (n: number): string => inWords(n, $localize`record`, $localize`records`);
}
