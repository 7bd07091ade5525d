import { ChangeDetectionStrategy, Component, effect, inject, input, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { KeyMap } from '@versicle/contract';
import { frameActions } from '../frame/frame.feature';
import { Api, type ServerProblem } from '../shared/api';
import { firstValueFrom } from 'rxjs';
import { chosenFile } from '../shared/chosen-file';
import { figure, FigurePipe } from '../shared/words';
import { GIVEN } from '../shared/given';

/** Which record of the target each delivered record became: kept, searched, brought in from elsewhere. */
@Component({
  selector: 'vs-key-map',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [GIVEN, RouterLink, FigurePipe],
  template: `
    <h2 i18n>
      Keys of delivered records
      <small>other mappings find them with mapped_key('{{ name() }}', source key)</small>
    </h2>
    @if (map(); as m) {
      <p class="bar">
        <label i18n class="check"
          ><input type="checkbox" [checked]="m.kept" [disabled]="m.askedBy.length > 0" (vsTicked)="keep($event)" /> keep
          them</label
        >
        @if (m.askedBy.length > 0) {
          <span i18n class="soft"
            >asked for by
            @for (a of m.askedBy; track a.mapping) {
              <a [routerLink]="['/mappings', a.mapping]">{{ a.name }}</a>
            }
          </span>
        }
        <span i18n>{{ m.keys | figure }} keys</span>
        <input
          class="input"
          type="search"
          aria-label="Find a key"
          i18n-aria-label
          placeholder="Find a key"
          i18n-placeholder
          [value]="search()"
          (vsTyped)="search.set($event)"
        />
        <button i18n type="button" class="btn" (click)="box.click()">Bring in keys from a file …</button>
        <input
          #box
          type="file"
          accept=".csv,.tsv,.txt,.xlsx"
          hidden
          aria-label="File of keys"
          i18n-aria-label
          (change)="bringIn(box)"
        />
      </p>
      @if (m.found.length > 0) {
        <table class="rows">
          <thead>
            <tr>
              <th i18n scope="col">Source key</th>
              <th i18n scope="col">Target key</th>
              <th i18n scope="col">From</th>
            </tr>
          </thead>
          <tbody>
            @for (k of m.found; track k.source) {
              <tr>
                <td>
                  <code>{{ k.source }}</code>
                </td>
                <td>
                  <code>{{ k.target }}</code>
                </td>
                <td>
                  @if (k.run === null) {
                    <span i18n class="soft">a file</span>
                  } @else {
                    <a i18n [routerLink]="['/runs', k.run]">run {{ k.run }}</a>
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
      } @else if (m.keys > 0) {
        <p i18n class="soft">No key has “{{ search() }}” in it.</p>
      }
    }
  `,
  styles: `
    .bar {
      display: flex;
      gap: 12px;
      align-items: center;
      margin-bottom: 8px;
    }
    .bar .input {
      width: 160px;
    }
    .check {
      display: flex;
      gap: 6px;
      align-items: center;
    }
    table {
      width: auto;
      min-width: 460px;
    }
  `,
})
export class KeyMapComponent {
  readonly mapping = input.required<string>();
  readonly name = input.required<string>();
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly search = signal('');
  protected readonly map = signal<KeyMap | null>(null);

  constructor() {
    effect((onCleanup) => {
      const id = this.mapping();
      const search = this.search();
      const asked = untracked(() => this.load(id, search));
      onCleanup(() => asked.unsubscribe());
    });
  }
  private load(id: string, search: string): { unsubscribe(): void } {
    return this.api.call('getKeyMap', { params: { id }, query: { search, limit: 50 } }).subscribe({
      next: (map) => this.map.set(map),
      error: (error: ServerProblem) => this.say(error.message, true),
    });
  }
  private say(text: string, problem: boolean): void {
    this.store.dispatch(frameActions.say({ text, problem }));
  }
  protected keep(kept: boolean): void {
    this.api.call('keepKeyMap', { params: { id: this.mapping() }, body: { kept } }).subscribe({
      next: () => this.load(this.mapping(), this.search()),
      error: (error: ServerProblem) => this.say(error.message, true),
    });
  }
  protected async bringIn(box: HTMLInputElement): Promise<void> {
    try {
      const file = await chosenFile(box);
      if (!file) return;
      const body = { fileName: file.name, content: file.content };
      const { added, changed } = await firstValueFrom(
        this.api.call('importKeys', { params: { id: this.mapping() }, body }),
      );
      this.say($localize`${figure(added)} keys added, ${figure(changed)} changed.`, false);
      this.load(this.mapping(), this.search());
    } catch (error) {
      this.say((error as Error).message, true);
    }
  }
}
