import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { doubledCodes, type Code } from '@versicle/core';
import { FigurePipe } from '../shared/words';

const PARTS: readonly [part: 'to' | 'meaning' | 'validFrom' | 'validTo', label: string, help: string][] = [
  ['to', $localize`To code`, ''],
  ['meaning', $localize`Meaning`, ''],
  ['validFrom', $localize`Valid from`, $localize`a day such as 2026-08-03`],
  ['validTo', $localize`Valid to`, $localize`a day such as 2026-08-03`],
];
const SHOWN = 200;

/** What the template says in one case or another. */
const PHRASES = {
  to: $localize`To`,
  of: $localize` of `,
  remove: $localize`Remove `,
};

/** The codes of a table: added, changed in place and removed. A code may stand several times, for times that do not meet. */
@Component({
  selector: 'vs-code-rows',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FigurePipe],
  templateUrl: './code-rows.component.html',
  styles: `
    .wide {
      overflow-x: auto;
    }
    .add {
      display: flex;
      flex-wrap: wrap;
      gap: 10px;
      align-items: center;
      margin-bottom: 6px;
    }
    .add .input {
      width: 170px;
    }
    .rows {
      max-width: 980px;
    }
    td .btn {
      padding: 0 6px;
    }
    .cell {
      padding: 1px 7px;
    }
    .meaning {
      width: 290px;
    }
    .day {
      width: 104px;
    }
    .cell:not(:focus) {
      border-color: transparent;
      background: none;
    }
  `,
})
export class CodeRowsComponent {
  protected readonly phrases = PHRASES;
  readonly codes = input.required<readonly Code[]>();
  /** Only codes with these words are shown. */
  readonly search = input('');
  readonly changed = output<Code[]>();
  protected readonly parts = PARTS;
  protected readonly complaint = signal('');
  protected readonly found = computed(() => {
    const words = this.search().toLowerCase();
    return this.codes()
      .map((code, at) => ({ code, at }))
      .filter(({ code }) => `${code.from} ${code.to} ${code.meaning ?? ''}`.toLowerCase().includes(words));
  });
  protected readonly shown = computed(() => this.found().slice(0, SHOWN));

  protected add(event: Event, ...[from, to, meaning]: HTMLInputElement[]): void {
    event.preventDefault();
    const code = codeOf(from!.value, to!.value, meaning!.value);
    if (!this.give([{ ...code, ...this.after(code.from) }, ...this.codes()])) return;
    for (const box of [from, to, meaning]) box!.value = '';
    from!.focus();
  }
  /** A code that follows others which have a last day begins on the day after. */
  private after(from: string): Pick<Code, 'validFrom'> {
    const ends = this.codes().flatMap((c) => (c.from === from ? [c.validTo] : []));
    const last = ends.sort().at(-1);
    if (last === undefined || ends.includes(undefined)) return {};
    return { validFrom: new Date(Date.parse(`${last}T00:00:00Z`) + 86_400_000).toISOString().slice(0, 10) };
  }
  protected change(at: number, part: (typeof PARTS)[number][0], box: HTMLInputElement): void {
    const text = box.value.trim();
    const before = this.codes()[at]!;
    const taken =
      (part === 'validFrom' || part === 'validTo') && !isDay(text)
        ? this.refuse($localize`“${text}” is no day such as 2026-08-03.`)
        : this.give(this.codes().map((c, i) => (i === at ? withPart(c, part, text) : c)));
    if (!taken) box.value = before[part] ?? '';
  }
  protected remove(at: number): void {
    this.give(this.codes().filter((_, i) => i !== at));
  }

  private give(codes: Code[]): boolean {
    const before = new Set(doubledCodes(this.codes()));
    const doubled = doubledCodes(codes).find((from) => !before.has(from));
    if (doubled !== undefined)
      return this.refuse(
        $localize`The code “${doubled}” is in the table already. Give the one that stands there a last day, if another is to follow.`,
      );
    this.complaint.set('');
    this.changed.emit(codes);
    return true;
  }
  private refuse(complaint: string): false {
    this.complaint.set(complaint);
    return false;
  }
}

export function codeOf(from: string, to: string, meaning: string): Code {
  return { from, to: to.trim(), ...(meaning.trim() === '' ? {} : { meaning: meaning.trim() }) };
}
function withPart(code: Code, part: (typeof PARTS)[number][0], text: string): Code {
  const { [part]: _, ...rest } = code;
  return (text === '' && part !== 'to' ? rest : { ...code, [part]: text }) as Code;
}
function isDay(text: string): boolean {
  if (text === '') return true;
  const day = new Date(`${text}T00:00:00Z`);
  return /^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(day.getTime()) && day.toISOString().startsWith(text);
}
