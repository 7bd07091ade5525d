import { ChangeDetectionStrategy, Component, effect, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Actions, ofType } from '@ngrx/effects';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Store } from '@ngrx/store';
import type { DatasetDetail } from '@versicle/contract';
import { SELECT } from '../shared/select';
import {
  ANSWER_WORDS,
  endpointOf,
  freshEndpoint,
  PAGING_WORDS,
  PLACE_WORDS,
  REPEAT_WORDS,
  textOf,
  type EndpointText,
} from './endpoint-text';
import { systemsActions, systemsFeature } from './systems.feature';

/** A dataset that people set down themselves, new or to be changed: an endpoint of an API, or a SELECT. */
@Component({
  selector: 'vs-new-dataset',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SELECT],
  template: `
    @if (!open()) {
      <p class="acts">
        <button type="button" class="btn" (click)="begin()">
          {{ of() ? 'Change …' : by() === 'endpoint' ? 'Describe a dataset …' : 'New SELECT …' }}
        </button>
      </p>
    } @else {
      <form (ngSubmit)="save()" [attr.aria-label]="title()">
        <div class="grid">
          @if (!of()) {
            <label class="field"
              ><span>Name of the dataset</span
              ><input class="input mono" name="dataset" [(ngModel)]="name" autocomplete="off"
            /></label>
          }
          @if (by() === 'endpoint') {
            <label class="field wide"
              ><span>Path</span
              ><input
                class="input mono"
                name="path"
                [(ngModel)]="e.path"
                placeholder="such as /members, or /stations/{{ '{' }}code}/status"
                autocomplete="off"
            /></label>
            <label class="field"
              ><span>Where the records are</span
              ><input
                class="input mono"
                name="records"
                [(ngModel)]="e.records"
                placeholder="guessed; such as data.items"
                autocomplete="off"
            /></label>
            <div class="field">
              <span id="form-label">Answers with</span>
              <nz-select name="body" [(ngModel)]="e.body" aria-labelledby="form-label">
                <nz-option nzValue="json" nzLabel="JSON" />
                <nz-option nzValue="xml" nzLabel="XML" />
              </nz-select>
            </div>
            <div class="field">
              <span id="paging-label">Pages</span>
              <nz-select name="paging" [(ngModel)]="e.paging" aria-labelledby="paging-label">
                @for (p of pagings; track p[0]) {
                  <nz-option [nzValue]="p[0]" [nzLabel]="p[1]" />
                }
              </nz-select>
            </div>
            @if (e.paging !== 'none' && e.paging !== 'link') {
              <label class="field"
                ><span>Parameter of the page</span
                ><input class="input mono" name="parameter" [(ngModel)]="e.parameter" autocomplete="off"
              /></label>
            }
            @if (e.paging === 'cursor' || e.paging === 'link') {
              <label class="field"
                ><span>Where the next one is named</span
                ><input
                  class="input mono"
                  name="next"
                  [(ngModel)]="e.next"
                  [placeholder]="e.paging === 'link' ? 'empty: the Link header' : 'such as paging.next'"
                  autocomplete="off"
              /></label>
            }
            @if (e.paging === 'page' || e.paging === 'offset') {
              <label class="field"
                ><span>Parameter of the size</span
                ><input class="input mono" name="sizeParameter" [(ngModel)]="e.sizeParameter" autocomplete="off"
              /></label>
              <label class="field"
                ><span>Records in a page</span
                ><input class="input mono" name="size" inputmode="numeric" [(ngModel)]="e.size" autocomplete="off"
              /></label>
            }
            <label class="field wide"
              ><span>Query parameters</span
              ><input
                class="input mono"
                name="query"
                [(ngModel)]="e.query"
                placeholder="such as since={{ '{{' }}today-7d}}&active=true"
                autocomplete="off"
            /></label>
            <label class="field"
              ><span>For each record of</span
              ><input
                class="input mono"
                name="parent"
                [(ngModel)]="e.parent"
                placeholder="another dataset, or empty"
                autocomplete="off"
            /></label>
            <label class="field"
              ><span>Found by the field</span
              ><input
                class="input mono"
                name="findField"
                [(ngModel)]="e.findField"
                placeholder="empty: joins read all of it"
                autocomplete="off"
            /></label>
            @if (e.findField.trim() !== '') {
              <label class="field wide"
                ><span>Asked for at</span
                ><input
                  class="input mono"
                  name="findPath"
                  [(ngModel)]="e.findPath"
                  placeholder="such as /bikes/{{ '{' }}key}, or /members?no={{ '{' }}keys}"
                  autocomplete="off"
              /></label>
              @if (e.findPath.includes('{' + 'keys}')) {
                <label class="field"
                  ><span>Keys in a request</span
                  ><input
                    class="input mono"
                    name="atOnce"
                    inputmode="numeric"
                    [(ngModel)]="e.atOnce"
                    autocomplete="off"
                /></label>
              }
              <label class="field"
                ><span>Where the found ones are</span
                ><input
                  class="input mono"
                  name="findRecords"
                  [(ngModel)]="e.findRecords"
                  placeholder="empty: as in the others"
                  autocomplete="off"
              /></label>
            }
            <label class="field"
              ><span>Written to</span
              ><input
                class="input mono"
                name="writePath"
                [(ngModel)]="e.writePath"
                placeholder="empty: only read; POST /members"
                autocomplete="off"
            /></label>
            @if (e.writePath.trim() !== '') {
              <label class="field"
                ><span>Records in a request</span
                ><input class="input mono" name="batch" inputmode="numeric" [(ngModel)]="e.batch" autocomplete="off"
              /></label>
              <label class="field"
                ><span>Member with the list</span
                ><input
                  class="input mono"
                  name="member"
                  [(ngModel)]="e.member"
                  placeholder="empty: the body is the list"
                  autocomplete="off"
              /></label>
              <div class="field">
                <span id="answer-label">What was taken is told by</span>
                <nz-select name="answer" [(ngModel)]="e.answer" aria-labelledby="answer-label">
                  @for (c of answers; track c[0]) {
                    <nz-option [nzValue]="c[0]" [nzLabel]="c[1]" />
                  }
                </nz-select>
              </div>
              @if (e.answer === 'errors') {
                <label class="field"
                  ><span>List of refusals</span
                  ><input
                    class="input mono"
                    name="errors"
                    [(ngModel)]="e.errors"
                    placeholder="errors"
                    autocomplete="off"
                /></label>
                <div class="field">
                  <span id="place-label">A refusal names its record by</span>
                  <nz-select name="place" [(ngModel)]="e.place" aria-labelledby="place-label">
                    @for (c of places; track c[0]) {
                      <nz-option [nzValue]="c[0]" [nzLabel]="c[1]" />
                    }
                  </nz-select>
                </div>
                <label class="field"
                  ><span>In its member</span
                  ><input
                    class="input mono"
                    name="errorIndex"
                    [(ngModel)]="e.errorIndex"
                    placeholder="index"
                    autocomplete="off"
                /></label>
                @if (e.place === 'id') {
                  <label class="field"
                    ><span>Which is the target field</span
                    ><input
                      class="input mono"
                      name="idField"
                      [(ngModel)]="e.idField"
                      placeholder="external_no"
                      autocomplete="off"
                  /></label>
                }
              }
              @if (e.answer === 'results') {
                <label class="field"
                  ><span>List of results</span
                  ><input
                    class="input mono"
                    name="results"
                    [(ngModel)]="e.results"
                    placeholder="results"
                    autocomplete="off"
                /></label>
                <label class="field"
                  ><span>Their status</span
                  ><input
                    class="input mono"
                    name="resultStatus"
                    [(ngModel)]="e.resultStatus"
                    placeholder="status"
                    autocomplete="off"
                /></label>
                <label class="field wide"
                  ><span>Taken where it is</span
                  ><input
                    class="input mono"
                    name="taken"
                    [(ngModel)]="e.taken"
                    placeholder="200, 201, ok"
                    autocomplete="off"
                /></label>
              }
              @if (e.answer === 'success') {
                <label class="field"
                  ><span>Member that means success</span
                  ><input
                    class="input mono"
                    name="success"
                    [(ngModel)]="e.success"
                    placeholder="success"
                    autocomplete="off"
                /></label>
                <label class="field"
                  ><span>Its value</span
                  ><input
                    class="input mono"
                    name="successValue"
                    [(ngModel)]="e.successValue"
                    placeholder="true"
                    autocomplete="off"
                /></label>
              }
              <div class="field">
                <span id="repeat-label">A request that comes again is known by</span>
                <nz-select name="repeat" [(ngModel)]="e.repeat" aria-labelledby="repeat-label">
                  @for (c of repeats; track c[0]) {
                    <nz-option [nzValue]="c[0]" [nzLabel]="c[1]" />
                  }
                </nz-select>
              </div>
              @if (e.repeat === 'key') {
                <label class="field"
                  ><span>Header with the key</span
                  ><input
                    class="input mono"
                    name="repeatHeader"
                    [(ngModel)]="e.repeatHeader"
                    placeholder="Idempotency-Key"
                    autocomplete="off"
                /></label>
              }
              @if (e.repeat === 'look-up') {
                <label class="field wide"
                  ><span>Looked up at</span
                  ><input
                    class="input mono"
                    name="repeatPath"
                    [(ngModel)]="e.repeatPath"
                    placeholder="such as /members/{{ '{' }}external_no}"
                    autocomplete="off"
                /></label>
              }
            }
          } @else {
            <label class="field all"
              ><span>SELECT</span
              ><textarea class="input mono" name="sql" rows="5" [(ngModel)]="sql" placeholder="SELECT …"></textarea>
            </label>
          }
        </div>
        @if (complaint() || settling().problem) {
          <p class="rub" role="alert">{{ complaint() || settling().problem }}</p>
        }
        <div class="acts">
          <button type="submit" class="btn first" [disabled]="settling().busy">
            {{ settling().busy ? 'Asking …' : 'Save and look at it' }}
          </button>
          <button type="button" class="btn quiet" (click)="open.set(false)">Give up</button>
        </div>
      </form>
    }
  `,
  styles: `
    .acts {
      margin: 12px 0 0;
    }
    form {
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--ink);
      padding: 12px 18px;
      margin-top: 14px;
    }
    .grid {
      display: grid;
      grid-template-columns: repeat(4, 1fr);
      gap: 0 16px;
    }
    .wide {
      grid-column: span 2;
    }
    .all {
      grid-column: 1 / -1;
    }
    nz-select,
    textarea {
      width: 100%;
    }
  `,
})
export class NewDatasetComponent {
  readonly id = input.required<string>();
  /** By what people say how a dataset is read. */
  readonly by = input.required<'endpoint' | 'select'>();
  /** The dataset that is changed; null: a new one is set down. */
  readonly of = input<DatasetDetail | null>(null);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly settling = this.store.selectSignal(systemsFeature.selectSettling);
  protected readonly open = signal(false);
  protected readonly complaint = signal('');
  protected readonly pagings = Object.entries(PAGING_WORDS);
  protected readonly answers = Object.entries(ANSWER_WORDS);
  protected readonly places = Object.entries(PLACE_WORDS);
  protected readonly repeats = Object.entries(REPEAT_WORDS);
  protected name = '';
  protected sql = '';
  protected e: EndpointText = freshEndpoint();

  constructor() {
    effect(() => {
      this.id();
      this.open.set(false);
    });
    inject(Actions)
      .pipe(ofType(systemsActions.settled), takeUntilDestroyed())
      .subscribe(({ id, detail }) => {
        if (!this.open() || id !== this.id() || detail.name !== this.name.trim()) return;
        if (this.of()) this.open.set(false);
        else void this.router.navigate(['/systems', id, 'dataset'], { queryParams: { name: detail.name } });
      });
  }

  protected title(): string {
    if (this.of()) return this.by() === 'endpoint' ? 'Change how it is asked for' : 'Change the SELECT';
    return this.by() === 'endpoint' ? 'Describe a dataset' : 'New SELECT';
  }
  protected begin(): void {
    const { name = '', setting = null } = this.of() ?? {};
    this.name = name;
    if (setting?.kind === 'endpoint') this.e = textOf(setting.endpoint);
    if (setting?.kind === 'select') this.sql = setting.sql;
    this.complaint.set('');
    this.open.set(true);
  }
  protected save(): void {
    const name = this.name.trim();
    if (!/^[^/\s]{1,100}$/.test(name)) {
      this.complaint.set('Name of the dataset: a word without blanks and slashes.');
      return;
    }
    const before = this.of()?.setting;
    const setting =
      this.by() === 'endpoint'
        ? endpointOf(this.e, before?.kind === 'endpoint' ? before.endpoint : null)
        : this.sql.trim() === ''
          ? 'SELECT: something must stand here.'
          : ({ kind: 'select', sql: this.sql } as const);
    if (typeof setting === 'string') {
      this.complaint.set(setting);
      return;
    }
    this.complaint.set('');
    this.store.dispatch(systemsActions.settle({ id: this.id(), dataset: name, setting }));
  }
}
