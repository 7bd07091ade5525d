import { capital, listed } from '../words.ts';
import { cronWords } from './cron-words.ts';
import type { PlanDocument, Step, Trigger } from './plan.ts';

/** A piece of the sentence that a plan reads as; where it has a path, it is a gap: what is chosen there stands in the document. */
export interface PlanWords {
  readonly text: string;
  readonly path?: string;
}
/** What mappings, systems and plans are called; by their ids. */
export type NameOf = (kind: 'mapping' | 'system' | 'plan', id: string) => string;

const plain = (text: string): PlanWords => ({ text });
const gap = (text: string, path: string): PlanWords => ({ text, path });

/** The plan as sentences, in order. */
export function planSentence(plan: PlanDocument, nameOf?: NameOf): PlanWords[] {
  const { begins, waves, ends } = planParagraphs(plan, nameOf);
  return [
    ...begins,
    plain(' '),
    ...waves.flatMap((words, i) => (i === 0 ? words : [plain(' '), ...words])),
    ...(ends.length > 0 ? [plain(' ')] : []),
    ...ends,
  ];
}
/** The same in its paragraphs: what starts it, each group of steps that begin together, and what holds for all of it. */
export function planParagraphs(
  plan: PlanDocument,
  nameOf: NameOf = (_kind, id) => id,
): { readonly begins: PlanWords[]; readonly waves: PlanWords[][]; readonly ends: PlanWords[] } {
  const begins: PlanWords[] = [];
  if (plan.triggers.length === 0) begins.push(gap('When somebody starts it', 'triggers'));
  plan.triggers.forEach((t, i) => {
    if (i > 0) begins.push(plain(', and '));
    const [first, ...rest] = triggerWords(t, `triggers[${i}]`, nameOf);
    begins.push(i === 0 ? { ...first!, text: capital(first!.text) } : first!, ...rest);
  });
  begins.push(plain(':'));
  const waves = wavesWords(plan.steps, 'steps', nameOf);
  waves.at(-1)!.push(plain('.'));
  const [first, ...rest] = endsWords(plan);
  // A paragraph of its own begins without the blank that a sentence needs before it.
  return { begins, waves, ends: first === undefined ? [] : [{ ...first, text: first.text.trimStart() }, ...rest] };
}
/** What holds for the whole of it. */
function endsWords(plan: PlanDocument): PlanWords[] {
  const words: PlanWords[] = [];
  if (plan.overlap !== 'wait' && plan.triggers.length > 0)
    words.push(
      plain(' When it is due while it still runs, '),
      gap(plan.overlap === 'skip' ? 'it is left out' : 'the older run is cancelled', 'overlap'),
      plain('.'),
    );
  if (plan.stop) words.push(plain(' Stop when '), gap(stopWords(plan.stop), 'stop'), plain(' fail.'));
  if (plan.expected !== undefined)
    words.push(plain(' It has to have ended well '), gap(expectedWords(plan.expected), 'expected'), plain('.'));
  plan.tell.forEach((t, i) => {
    const whom = t.by === 'application' ? 'everybody here' : t.to.join(', ');
    words.push(
      plain(' Tell '),
      gap(whom, `tell[${i}].to`),
      plain(t.by === 'application' ? ' ' : ` by ${t.by} `),
      ...t.on.flatMap((on, n) => [
        plain(n === 0 ? '' : n === t.on.length - 1 ? ' and ' : ', '),
        gap(TELL_WORDS[on], `tell[${i}].on`),
      ]),
      plain('.'),
    );
  });
  return words;
}
/** The same as one text. */
export const planText = (plan: PlanDocument, nameOf?: NameOf): string =>
  planSentence(plan, nameOf)
    .map((w) => w.text)
    .join('');

/** One step by itself, without what it waits for and, where it holds others, without these. */
export const stepText = (step: Step, nameOf: NameOf = (_kind, id) => id): string =>
  stepWords(step, '', nameOf, false)
    .map((w) => w.text)
    .join('');

const TELL_WORDS: Readonly<Record<PlanDocument['tell'][number]['on'][number], string>> = {
  failed: 'when records fail',
  stopped: 'when it stops',
  late: 'when it is late',
  warnings: 'of warnings',
  recovered: 'when it runs well again',
  finished: 'when it has ended',
};

function triggerWords(trigger: Trigger, path: string, nameOf: NameOf): PlanWords[] {
  switch (trigger.kind) {
    case 'schedule': {
      const words = [
        gap(cronWords(trigger.cron) ?? `by the schedule ${trigger.cron}`, `${path}.cron`),
        plain(' in '),
        gap(trigger.zone, `${path}.zone`),
      ];
      if (trigger.except.length > 0)
        words.push(plain(', '), gap(`except on ${listed(trigger.except)}`, `${path}.except`));
      if (trigger.only.length > 0) words.push(plain(', '), gap(`only on ${listed(trigger.only)}`, `${path}.only`));
      return words;
    }
    case 'every':
      return [gap(`${secondsWords(trigger.seconds)} after it ended, again`, `${path}.seconds`)];
    case 'arrival':
      return [plain('when a record arrives at '), gap(trigger.dataset, `${path}.dataset`)];
    case 'file':
      return [
        plain('when a file '),
        gap(trigger.dataset, `${path}.dataset`),
        plain(' has not changed for '),
        gap(trigger.settled, `${path}.settled`),
      ];
    case 'after':
      return [
        plain('when '),
        gap(nameOf('plan', trigger.plan), `${path}.plan`),
        plain(' has ended'),
        gap({ success: ' well', failure: ' badly', either: '' }[trigger.on], `${path}.on`),
      ];
    case 'call':
      return [gap('when it is called from outside', path)];
  }
}

function stepsWords(steps: readonly Step[], path: string, nameOf: NameOf): PlanWords[] {
  return wavesWords(steps, path, nameOf).flatMap((words, i) => (i === 0 ? words : [plain(' '), ...words]));
}
function wavesWords(steps: readonly Step[], path: string, nameOf: NameOf): PlanWords[][] {
  const at = new Map(steps.map((s, i) => [s.id, `${path}[${i}]`]));
  const waves = wavesOf(steps);
  return waves.map(({ steps: wave, after }, i) => {
    const words: PlanWords[] = [];
    const before = after !== null ? `after ${listed(after)}` : i === 0 ? (waves.length > 1 ? 'first' : '') : 'then';
    if (before !== '') words.push(plain(before));
    if (wave.length > 1) words.push(plain(`${before === '' ? '' : ', '}side by side,`));
    wave.forEach((step, j) => {
      const lead = before === '' && wave.length === 1 ? '' : ' ';
      words.push(
        plain(j === 0 ? lead : j === wave.length - 1 ? ' and ' : ', '),
        ...stepWords(step, at.get(step.id)!, nameOf),
      );
    });
    if (i < waves.length - 1) words.push(plain(';'));
    return words;
  });
}

/**
 * Steps that begin together, one group after the other. Where a group does not wait for just the group before it, `after`
 * says what it waits for.
 */
function wavesOf(steps: readonly Step[]): { steps: Step[]; after: string[] | null }[] {
  const waits = (s: Step): string => JSON.stringify([[...s.after].sort(), [...s.afterAny].sort()]);
  const groups = new Map<string, Step[]>();
  for (const step of steps) groups.set(waits(step), [...(groups.get(waits(step)) ?? []), step]);
  let before: readonly Step[] = [];
  return [...groups.values()].map((group) => {
    const { after, afterAny } = group[0]!;
    const follows =
      afterAny.length === 0 && after.length === before.length && before.every((b) => after.includes(b.id));
    before = group;
    const names = [...after, ...(afterAny.length > 0 ? [`one of ${listed(afterAny, 'or')}`] : [])];
    return { steps: group, after: follows || names.length === 0 ? null : names };
  });
}

function stepWords(step: Step, path: string, nameOf: NameOf, whole = true): PlanWords[] {
  const words: PlanWords[] = [];
  if (step.when !== undefined) words.push(plain('if '), gap(step.when, `${path}.when`), plain(', '));
  switch (step.kind) {
    case 'mapping':
      words.push(gap(nameOf('mapping', step.mapping), `${path}.mapping`));
      if (step.revision !== 'newest') words.push(plain(', '), gap(`revision ${step.revision}`, `${path}.revision`));
      if (step.changes !== 'all') words.push(plain(', '), gap(changesWords(step), `${path}.changes`));
      if (step.watermark?.overlap !== undefined)
        words.push(plain(', '), gap(`looking back ${step.watermark.overlap}`, `${path}.watermark.overlap`));
      if (step.vanished !== 'leave')
        words.push(
          plain(', '),
          gap(step.vanished === 'delete' ? 'what is gone is deleted' : 'what is gone is marked', `${path}.vanished`),
        );
      if (step.keep?.read !== undefined)
        words.push(plain(', what is read kept in '), gap(step.keep.read, `${path}.keep.read`));
      if (step.keep?.failed !== undefined)
        words.push(plain(', what fails kept in '), gap(step.keep.failed, `${path}.keep.failed`));
      break;
    case 'sql':
      words.push(plain('a statement in '), gap(nameOf('system', step.system), `${path}.system`));
      break;
    case 'request':
      words.push(
        plain('a request to '),
        gap(nameOf('system', step.system), `${path}.system`),
        plain(`, ${step.method} ${step.path}`),
      );
      break;
    case 'share':
      words.push(
        plain('the records of '),
        gap(step.dataset, `${path}.dataset`),
        plain(step.all ? ' given to each that takes them: ' : ' shared out: '),
      );
      step.by.forEach((b, i) =>
        words.push(
          plain(i > 0 ? ', ' : ''),
          gap(nameOf('mapping', b.mapping), `${path}.by[${i}].mapping`),
          plain(' where '),
          gap(b.when, `${path}.by[${i}].when`),
        ),
      );
      words.push(plain(', '), gap(step.rest === 'keep' ? 'the rest is kept' : 'the rest fails', `${path}.rest`));
      break;
    case 'plan':
      words.push(plain('the plan '), gap(nameOf('plan', step.plan), `${path}.plan`));
      break;
    case 'each':
      words.push(
        plain('for each '),
        'dataset' in step.over
          ? gap(`record of ${step.over.dataset}`, `${path}.over`)
          : gap(`of ${listed(step.over.list)}`, `${path}.over`),
        plain(step.parallel > 1 ? `, ${step.parallel} at a time` : ''),
        ...(whole ? [plain(' ('), ...stepsWords(step.steps, `${path}.steps`, nameOf), plain(')')] : []),
      );
  }
  if (step.onFail === 'go on') words.push(plain(', '), gap('going on if it fails', `${path}.onFail`));
  return words;
}
function changesWords(step: Extract<Step, { kind: 'mapping' }>): string {
  switch (step.changes) {
    case 'compare':
      return 'only what changed';
    case 'watermark':
      return `only what is new by ${step.watermark?.field ?? 'a field'}`;
    case 'captured':
      return 'only what the source wrote down as changed';
    default:
      return 'all records';
  }
}
function stopWords({ failedShare, failed }: NonNullable<PlanDocument['stop']>): string {
  const parts = [
    ...(failedShare === undefined ? [] : [`more than ${+(failedShare * 100).toFixed(2)} %`]),
    ...(failed === undefined ? [] : [`more than ${failed.toLocaleString('en-GB')} records`]),
  ];
  return parts.join(' or ');
}
const expectedWords = (text: string): string => (text.includes(':') ? `by ${text}` : `within ${text}`);
function secondsWords(seconds: number): string {
  if (seconds % 3600 === 0) return seconds === 3600 ? 'an hour' : `${seconds / 3600} hours`;
  if (seconds % 60 === 0) return seconds === 60 ? 'a minute' : `${seconds / 60} minutes`;
  return seconds === 1 ? 'a second' : `${seconds} seconds`;
}
