import type { CauseGroup, Today } from '@versicle/contract';
import { capital, inWords } from '../shared/words';

/** One thing that needs a person, as it is written on the page. */
export type Duty =
  | {
      readonly kind: 'failures';
      readonly mapping: string;
      readonly name: string;
      readonly total: number;
      readonly worst: CauseGroup;
      readonly others: readonly CauseGroup[];
    }
  | {
      readonly kind: 'system';
      readonly id: string;
      readonly name: string;
      readonly message: string;
      readonly since: string;
    }
  | {
      readonly kind: 'broken';
      /** What it did: broke off, was stopped, or wants a yes or no. */
      readonly did: string;
      readonly run: number;
      readonly name: string;
      readonly error: string;
      readonly at: string | null;
    }
  | { readonly kind: 'unsent'; readonly message: Today['messages'][number] }
  | { readonly kind: 'stuck'; readonly id: string; readonly name: string; readonly message: string }
  | ({ readonly kind: 'news' } & Today['news'][number])
  | ({ readonly kind: 'question' } & Today['questions'][number])
  | { readonly kind: 'unpublished'; readonly id: string; readonly name: string; readonly changed: number };

/** What needs a person, worst first: broken runs, systems that refuse, failed records by mapping, drafts. */
export function dutiesOf(today: Today): Duty[] {
  const mappings = [...new Set(today.causes.map((c) => c.mapping))];
  const failures = mappings.map((mapping): Duty => {
    const causes = today.causes.filter((c) => c.mapping === mapping);
    const worst = causes[0]!;
    return {
      kind: 'failures',
      mapping,
      name: worst.mappingName,
      total: causes.reduce((n, c) => n + c.count, 0),
      worst,
      others: causes.slice(1),
    };
  });
  failures.sort((a, b) => (b.kind === 'failures' ? b.total : 0) - (a.kind === 'failures' ? a.total : 0));
  return [
    ...today.broken.map((r): Duty => ({
      kind: 'broken',
      did:
        r.state === 'asks' ? $localize`asks` : r.state === 'stopped' ? $localize`did not go on` : $localize`broke off`,
      run: r.id,
      name: r.planName,
      error: r.error ?? $localize`it broke off`,
      at: r.finishedAt,
    })),
    ...today.stuck.map((p): Duty => ({ kind: 'stuck', ...p })),
    ...today.messages.filter((m) => m.means !== 'application').map((message): Duty => ({ kind: 'unsent', message })),
    ...today.systems.map((s): Duty => ({ kind: 'system', ...s })),
    ...failures,
    ...today.news.map((n): Duty => ({ kind: 'news', ...n })),
    ...today.questions.map((q): Duty => ({ kind: 'question', ...q })),
    ...today.unpublished.map((u): Duty => ({ kind: 'unpublished', ...u })),
  ];
}

/** “five others: four with line 2 Bike, one …” in short. */
export function othersSentence(others: readonly CauseGroup[]): string {
  if (others.length === 0) return '';
  const rest = others.reduce((n, c) => n + c.count, 0);
  const named = others
    .slice(0, 3)
    .map((c) => `${c.count} ${c.lineNumber === null ? c.label : $localize`on line ${c.lineNumber} ${c.label}`}`);
  const more =
    others.length > 3
      ? $localize` and ${inWords(others.length - 3, $localize`more cause`, $localize`more causes`)}`
      : '';
  return `${capital(inWords(rest, $localize`other`, $localize`others`))}: ${named.join(', ')}${more}.`;
}
