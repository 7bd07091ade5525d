import { ChangeDetectionStrategy, Component, effect, inject, input, signal } from '@angular/core';
import type { TargetFit } from '@versicle/contract';
import { AheadComponent } from '../shared/ahead.component';
import { Api, type ServerProblem } from '../shared/api';
import { SaidComponent } from '../shared/said.component';

/** What the template says in one case or another. */
const PHRASES = {
  addIt: $localize`Add it`,
  addThem: $localize`Add them`,
};

/**
 * Before a draft is published: fields that it loads and the target's table lacks, with a way to add them, and what the profile
 * of its source tells of its lines.
 */
@Component({
  selector: 'vs-lacking-fields',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AheadComponent, SaidComponent],
  template: `
    <div role="status">
      @if (added().length > 0) {
        <p i18n class="soft">{{ target() }} has {{ added().join(', ') }} now.</p>
      }
      @if (lacking().length > 0) {
        <p i18n>
          <b>{{ target() }}</b> lacks
          @for (f of lacking(); track f.name) {
            <code>{{ f.name }} {{ f.type }}</code
            >{{ $last ? '.' : ', ' }}
          }
        </p>
        <button i18n type="button" class="btn" [disabled]="busy()" (click)="add()">
          {{ lacking().length === 1 ? phrases.addIt : phrases.addThem }} to the table
        </button>
      }
    </div>
    @if (ahead().length > 0) {
      <vs-ahead [of]="ahead()" [records]="profiled()" [mapping]="mapping()" />
    }
    @if (problem()) {
      <p class="rub" role="alert"><vs-said [text]="problem()" /></p>
    }
  `,
  styles: `
    p {
      margin-bottom: 6px;
    }
    .btn {
      margin-bottom: 10px;
    }
  `,
})
export class LackingFieldsComponent {
  protected readonly phrases = PHRASES;
  readonly mapping = input.required<string>();
  readonly target = input.required<string>();
  /** The draft's version: what is lacking may be another with each. */
  readonly version = input.required<number>();
  private readonly api = inject(Api);
  protected readonly lacking = signal<TargetFit['lacking']>([]);
  protected readonly ahead = signal<TargetFit['ahead']>([]);
  protected readonly profiled = signal(0);
  protected readonly added = signal<readonly string[]>([]);
  protected readonly busy = signal(false);
  protected readonly problem = signal('');

  constructor() {
    effect((done) => {
      this.version();
      const asked = this.api.call('targetOutlook', { params: { id: this.mapping() } }).subscribe({
        next: ({ lacking, ahead, of }) => {
          this.lacking.set(lacking);
          this.ahead.set(ahead);
          this.profiled.set(of ?? 0);
        },
        // Publishing asks the target itself, and says what is wrong with it.
        error: () => {
          this.lacking.set([]);
          this.ahead.set([]);
        },
      });
      done(() => asked.unsubscribe());
    });
  }

  protected add(): void {
    this.busy.set(true);
    this.problem.set('');
    this.api.call('addTargetFields', { params: { id: this.mapping() } }).subscribe({
      next: ({ added }) => {
        this.busy.set(false);
        this.added.set(added);
        this.lacking.set([]);
      },
      error: (error: ServerProblem) => {
        this.busy.set(false);
        this.problem.set(error.message);
      },
    });
  }
}
