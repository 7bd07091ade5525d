import { parseRule } from '../rules/parse.ts';
import { fieldText, textLiteral } from '../rules/print.ts';
import type { Node } from '../rules/syntax.ts';
import type { Line } from './document.ts';
import { NOTHING } from './edit.ts';

/**
 * The frequent forms of a line, for people who don't write SQL: each stands for one way of writing a line, and is read back
 * from any line that is written so. Fields are as they stand in rules, such as `m.born`.
 */
export type LineForm =
  | { readonly form: 'as is'; readonly field: string }
  | { readonly form: 'fixed'; readonly value: string }
  | { readonly form: 'codes'; readonly field: string; readonly table: string }
  | {
      readonly form: 'split';
      readonly field: string;
      readonly separator: string;
      /** 1 for the first part; -1 for the last. */
      readonly part: number;
      readonly trimmed: boolean;
    }
  | { readonly form: 'join'; readonly fields: readonly string[]; readonly between: string }
  | { readonly form: 'date'; readonly field: string; readonly pattern: string; readonly withTime: boolean }
  | { readonly form: 'number'; readonly field: string; readonly mark: DecimalMark }
  | {
      readonly form: 'unit';
      readonly field: string;
      /** How the field's text writes decimals; null where it is a number already. */
      readonly mark: DecimalMark | null;
      readonly factor: string;
      /** Digits after the point; null: as they come. */
      readonly decimals: number | null;
    }
  | {
      readonly form: 'if';
      readonly field: string;
      readonly test: FormTest;
      /** What the field is compared with; not for “empty” and “filled”. */
      readonly value: string;
      readonly then: FormValue;
      readonly otherwise: FormValue;
    };
export type FormName = LineForm['form'];
export type DecimalMark = '.' | ',';
export const FORM_TESTS = ['=', '<>', '<', '<=', '>', '>=', 'empty', 'filled'] as const;
export type FormTest = (typeof FORM_TESTS)[number];
/** What a condition gives: a text, a field, or null. */
export type FormValue =
  | { readonly is: 'text'; readonly text: string }
  | { readonly is: 'field'; readonly field: string }
  | { readonly is: 'null' };

/** Units that are often changed, with the factor between them. */
export const UNITS: readonly { readonly words: string; readonly factor: string }[] = [
  { words: 'miles to kilometres', factor: '1.609344' },
  { words: 'feet to metres', factor: '0.3048' },
  { words: 'inches to millimetres', factor: '25.4' },
  { words: 'pounds to kilograms', factor: '0.45359237' },
  { words: 'cents to whole units', factor: '0.01' },
  { words: 'whole units to cents', factor: '100' },
  { words: 'per cent to a share', factor: '0.01' },
  { words: 'hours to minutes', factor: '60' },
];

/** What a line is when it is written by this form. */
export function lineOfForm(form: LineForm): Partial<Line> {
  switch (form.form) {
    case 'as is':
      return { ...NOTHING, kind: 'straight', source: form.field };
    case 'fixed':
      return { ...NOTHING, kind: 'constant', value: form.value };
    case 'codes':
      return { ...NOTHING, kind: 'lookup', source: form.field, codeTable: form.table };
    default:
      return { ...NOTHING, kind: 'rule', rule: ruleOfForm(form) };
  }
}

function ruleOfForm(form: Exclude<LineForm, { form: 'as is' | 'fixed' | 'codes' }>): string {
  switch (form.form) {
    case 'split': {
      const part = `split_part(${form.field}, ${textLiteral(form.separator)}, ${form.part})`;
      return form.trimmed ? `trim(${part})` : part;
    }
    case 'join':
      return `concat_ws(${[textLiteral(form.between), ...form.fields].join(', ')})`;
    case 'date':
      return `${form.withTime ? 'parse_timestamp' : 'parse_date'}(${form.field}, ${textLiteral(form.pattern)})`;
    case 'number':
      return numberText(form.field, form.mark);
    case 'unit': {
      const number = form.mark === null ? form.field : numberText(form.field, form.mark);
      const product = `${number} * ${form.factor}`;
      return form.decimals === null ? product : `round(${product}, ${form.decimals})`;
    }
    case 'if':
      return `CASE WHEN ${testText(form)} THEN ${valueText(form.then)} ELSE ${valueText(form.otherwise)} END`;
  }
}
function numberText(field: string, mark: DecimalMark): string {
  return `parse_number(${field}, ${textLiteral(mark)})`;
}
function testText({ field, test, value }: Extract<LineForm, { form: 'if' }>): string {
  if (test === 'empty') return `${field} IS NULL`;
  if (test === 'filled') return `${field} IS NOT NULL`;
  return `${field} ${test} ${textLiteral(value)}`;
}
function valueText(value: FormValue): string {
  return value.is === 'null' ? 'NULL' : value.is === 'field' ? value.field : textLiteral(value.text);
}

/** The form that a line is written by; null where it is none of them. */
export function formOfLine(line: Line): LineForm | null {
  switch (line.kind) {
    case 'straight':
    case 'lookup': {
      const field = fieldOf(parsed(line.source));
      if (field === null) return null;
      if (line.kind === 'straight') return { form: 'as is', field };
      return line.codeTable === undefined ? null : { form: 'codes', field, table: line.codeTable };
    }
    case 'constant':
      return { form: 'fixed', value: String(line.value ?? '') };
    case 'rule': {
      const node = parsed(line.rule);
      return node && formOfRule(node);
    }
    default:
      return null;
  }
}
function parsed(rule: string | undefined): Node | null {
  if (!rule) return null;
  try {
    return parseRule(rule);
  } catch {
    // What is wrong with the rule is said where it is checked.
    return null;
  }
}

function formOfRule(node: Node): LineForm | null {
  const field = fieldOf(node);
  if (field !== null) return { form: 'as is', field };
  return splitOf(node) ?? joinOf(node) ?? dateOf(node) ?? numberOf(node) ?? unitOf(node) ?? ifOf(node);
}
function fieldOf(node: Node | null): string | null {
  return node?.kind === 'field' ? fieldText(node.alias, node.name) : null;
}
/** The arguments of a call with this name and so many of them. */
function callOf(node: Node, name: string, count: number): readonly Node[] | null {
  return node.kind === 'call' && node.name === name && node.args.length === count ? node.args : null;
}
function textOf(node: Node | undefined): string | null {
  return node?.kind === 'text' ? node.value : null;
}
/** A whole number, also one with a minus before it. */
function wholeOf(node: Node): number | null {
  if (node.kind === 'unary' && node.op === '-') {
    const positive = wholeOf(node.arg);
    return positive === null ? null : -positive;
  }
  return node.kind === 'number' && /^\d{1,4}$/.test(node.value) ? Number(node.value) : null;
}

function splitOf(node: Node): LineForm | null {
  const trimmed = callOf(node, 'btrim', 1);
  const args = callOf(trimmed?.[0] ?? node, 'split_part', 3);
  if (!args) return null;
  const [field, separator, part] = [fieldOf(args[0]!), textOf(args[1]), wholeOf(args[2]!)];
  if (field === null || separator === null || part === null || part === 0) return null;
  return { form: 'split', field, separator, part, trimmed: trimmed !== null };
}
function joinOf(node: Node): LineForm | null {
  if (node.kind !== 'call' || node.name !== 'concat_ws') return null;
  const between = textOf(node.args[0]);
  const fields = node.args.slice(1).map(fieldOf);
  if (between === null || fields.length === 0 || fields.includes(null)) return null;
  return { form: 'join', between, fields: fields as string[] };
}
function dateOf(node: Node): LineForm | null {
  for (const [name, withTime] of [
    ['parse_date', false],
    ['parse_timestamp', true],
  ] as const) {
    const args = callOf(node, name, 2);
    const [field, pattern] = args ? [fieldOf(args[0]!), textOf(args[1])] : [null, null];
    if (field !== null && pattern !== null) return { form: 'date', field, pattern, withTime };
  }
  return null;
}
function numberOf(node: Node): Extract<LineForm, { form: 'number' }> | null {
  const args = callOf(node, 'parse_number', 2);
  if (!args) return null;
  const [field, mark] = [fieldOf(args[0]!), textOf(args[1])];
  return field !== null && (mark === '.' || mark === ',') ? { form: 'number', field, mark } : null;
}
function unitOf(node: Node): LineForm | null {
  const rounded = callOf(node, 'round', 2);
  const decimals = rounded ? wholeOf(rounded[1]!) : null;
  if (rounded && (decimals === null || decimals < 0)) return null;
  const product = rounded?.[0] ?? node;
  if (product.kind !== 'binary' || product.op !== '*' || product.right.kind !== 'number') return null;
  const number = numberOf(product.left);
  const field = number?.field ?? fieldOf(product.left);
  if (field === null) return null;
  return { form: 'unit', field, mark: number?.mark ?? null, factor: product.right.value, decimals };
}
function ifOf(node: Node): LineForm | null {
  if (node.kind !== 'case' || node.arg !== null || node.branches.length !== 1) return null;
  const { when, then } = node.branches[0]!;
  const test = testOf(when);
  const yes = formValueOf(then);
  const no = node.otherwise === null ? ({ is: 'null' } as const) : formValueOf(node.otherwise);
  return test && yes && no ? { form: 'if', ...test, then: yes, otherwise: no } : null;
}
function testOf(node: Node): Pick<Extract<LineForm, { form: 'if' }>, 'field' | 'test' | 'value'> | null {
  if (node.kind === 'is' && node.test === 'null') {
    const field = fieldOf(node.arg);
    return field === null ? null : { field, test: node.not ? 'filled' : 'empty', value: '' };
  }
  if (node.kind !== 'binary') return null;
  const [field, value] = [fieldOf(node.left), textOf(node.right)];
  const test = FORM_TESTS.find((t) => t === node.op);
  return field === null || value === null || test === undefined ? null : { field, test, value };
}
function formValueOf(node: Node): FormValue | null {
  if (node.kind === 'null') return { is: 'null' };
  const field = fieldOf(node);
  if (field !== null) return { is: 'field', field };
  const text = textOf(node);
  return text === null ? null : { is: 'text', text };
}

/** A form to begin with, for a line that reads `field` and was written otherwise until now. */
export function beginForm(form: FormName, field: string, sample: string | null, tables: readonly string[]): LineForm {
  const mark: DecimalMark = /\d,\d/.test(sample ?? '') ? ',' : '.';
  switch (form) {
    case 'as is':
      return { form, field };
    case 'fixed':
      return { form, value: sample ?? '' };
    case 'codes':
      return { form, field, table: tables[0] ?? '' };
    case 'split': {
      const separator = /[,;/|-]/.exec(sample ?? '')?.[0] ?? ' ';
      return { form, field, separator, part: 1, trimmed: true };
    }
    case 'join':
      return { form, fields: [field], between: ' ' };
    case 'date':
      return { form, field, ...patternLike(sample) };
    case 'number':
      return { form, field, mark };
    case 'unit':
      return { form, field, mark, factor: UNITS[0]!.factor, decimals: 2 };
    case 'if':
      return {
        form,
        field,
        test: '=',
        value: sample ?? '',
        then: { is: 'text', text: '' },
        otherwise: { is: 'null' },
      };
  }
}
/** A date pattern that a text looks like. */
function patternLike(sample: string | null): { pattern: string; withTime: boolean } {
  const text = sample ?? '';
  const date = /^\d{4}-/.test(text)
    ? 'YYYY-MM-DD'
    : /^\d{8}/.test(text)
      ? 'YYYYMMDD'
      : /^\d{1,2}\//.test(text)
        ? 'DD/MM/YYYY'
        : 'DD.MM.YYYY';
  const time = /\d{1,2}:\d{2}(:\d{2})?/.exec(text);
  return time
    ? { pattern: `${date} ${time[1] ? 'HH24:MI:SS' : 'HH24:MI'}`, withTime: true }
    : { pattern: date, withTime: false };
}
