import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';

interface Column {
  readonly name: string;
  readonly from: number;
  readonly width: number;
}

/** What the template says in one case or another. */
const PHRASES = {
  nameOfColumn: $localize`Name of column `,
  fromColumn: $localize`From, column `,
  widthColumn: $localize`Width, column `,
};

/**
 * Columns of fixed width, drawn over the real text: a click between two characters begins a column or takes its beginning
 * away; the table below does the same by keyboard.
 */
@Component({
  selector: 'vs-ruler',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="text" tabindex="0" role="region" aria-label="Ruler over the text" i18n-aria-label>
      <pre class="scale" aria-hidden="true">{{ scale() }}</pre>
      <pre #text (click)="toggle($event, text)" role="presentation"><span
          class="marks" aria-hidden="true">@for (c of columns(); track c.from) {<i
            [style.left.ch]="c.from - 1"></i>}</span>{{ lines().join('\\n') }}</pre>
    </div>
    <p i18n class="soft">Click in the text where a column begins, or takes its beginning away; or write it here.</p>
    <table class="rows">
      <thead>
        <tr>
          <th i18n scope="col">Field</th>
          <th i18n scope="col" class="n">From</th>
          <th i18n scope="col" class="n">Width</th>
          <th i18n scope="col">First values</th>
        </tr>
      </thead>
      <tbody>
        @for (c of columns(); track $index) {
          <tr>
            <td>
              <input
                #name
                class="input mono"
                [value]="c.name"
                [attr.aria-label]="phrases.nameOfColumn + ($index + 1)"
                (change)="change($index, { name: name.value.trim() || c.name })"
              />
            </td>
            <td class="n">
              <input
                #from
                class="input mono small"
                [value]="c.from"
                [attr.aria-label]="phrases.fromColumn + ($index + 1)"
                (change)="change($index, { from: whole(from.value, c.from) })"
              />
            </td>
            <td class="n">
              <input
                #width
                class="input mono small"
                [value]="c.width"
                [attr.aria-label]="phrases.widthColumn + ($index + 1)"
                (change)="change($index, { width: whole(width.value, c.width) })"
              />
            </td>
            <td>
              <code>{{ values(c) }}</code>
            </td>
          </tr>
        }
      </tbody>
    </table>
  `,
  styles: `
    .text {
      overflow: auto;
      border: 1px solid var(--hair);
      background: var(--raised);
      margin: 8px 0 4px;
      padding: 0 0 4px;
    }
    pre {
      position: relative;
      margin: 0;
      padding: 0;
      font: 13px/1.5 var(--mono);
      cursor: text;
      width: max-content;
      min-width: 100%;
    }
    .scale {
      color: var(--ink-3);
      border-bottom: 1px solid var(--hair);
      cursor: default;
    }
    .marks i {
      position: absolute;
      top: 0;
      bottom: 0;
      border-left: 1.5px solid var(--act);
    }
    .small {
      width: 64px;
      text-align: right;
    }
    table {
      max-width: 860px;
    }
    th:last-child,
    td:last-child {
      padding-left: 18px;
    }
  `,
})
export class RulerComponent {
  protected readonly phrases = PHRASES;
  readonly columns = input.required<readonly Column[]>();
  readonly lines = input.required<readonly string[]>();
  readonly drawn = output<Column[]>();
  protected readonly scale = computed(() => {
    const width = Math.max(80, ...this.lines().map((l) => l.length));
    return Array.from({ length: Math.ceil(width / 10) }, (_, i) => String((i + 1) * 10).padStart(10, '·')).join('');
  });

  protected values({ from, width }: Column): string {
    const found = this.lines()
      .map((l) => l.slice(from - 1, from - 1 + width).trim())
      .filter((v) => v !== '');
    return found.slice(0, 3).join(' · ');
  }
  protected whole(text: string, otherwise: number): number {
    const n = Math.trunc(Number(text));
    return n >= 1 ? n : otherwise;
  }
  protected change(at: number, patch: Partial<Column>): void {
    this.drawn.emit(this.columns().map((c, i) => (i === at ? { ...c, ...patch } : c)));
  }
  protected toggle(event: MouseEvent, text: HTMLElement): void {
    const box = text.getBoundingClientRect();
    const probe = Math.max(1, ...this.lines().map((l) => l.length));
    const measure = document.createElement('span');
    measure.textContent = 'x'.repeat(probe);
    measure.style.visibility = 'hidden';
    text.append(measure);
    const character = measure.getBoundingClientRect().width / probe;
    measure.remove();
    const from = Math.round((event.clientX - box.left) / character) + 1;
    const columns = this.columns();
    const known = columns.findIndex((c) => c.from === from);
    if (known > 0) {
      const before = columns[known - 1]!;
      const gone = columns[known]!;
      const width = gone.from + gone.width - before.from;
      this.drawn.emit(columns.flatMap((c, i) => (i === known ? [] : i === known - 1 ? [{ ...c, width }] : [c])));
      return;
    }
    const split = columns.findIndex((c) => from > c.from && from < c.from + c.width);
    if (split < 0) return;
    const c = columns[split]!;
    const names = new Set(columns.map((x) => x.name));
    let n = columns.length + 1;
    while (names.has(`column_${n}`)) n++;
    const halves = [
      { ...c, width: from - c.from },
      { name: `column_${n}`, from, width: c.from + c.width - from },
    ];
    this.drawn.emit(columns.flatMap((x, i) => (i === split ? halves : [x])));
  }
}
