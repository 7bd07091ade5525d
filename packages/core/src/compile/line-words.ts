import type { Line } from '../document/document.ts';
import { formOfLine, UNITS, type FormValue, type LineForm } from '../document/line-forms.ts';
import { fieldText } from '../rules/print.ts';
import { quoted } from '../words.ts';
import { fieldsOfLine } from './source.ts';

/** What a line reads: the source of a straight line or lookup, and of one that was not understood; for a rule, the fields that it names. */
export function sourceOfLine(line: Line): string {
  if (line.kind === 'straight' || line.kind === 'lookup' || line.kind === undefined) return line.source ?? '';
  if (line.kind === 'generated') return (line.of ?? []).join(', ');
  if (line.kind !== 'rule' || !line.rule) return '';
  const { rule, kind, id, target, state } = line;
  const named = fieldsOfLine({ id, target, state, kind, rule }).map((f) => fieldText(f.alias, f.name));
  return [...new Set(named)].join(', ');
}

/** How a line makes its value, for people who read no rules; what it does beside that, too. */
export function howOfLine(line: Line): string {
  const parts = [
    valueWords(line),
    line.condition ? `only when ${line.condition}` : '',
    line.default === undefined
      ? ''
      : `otherwise ${line.default}${line.defaultWhen === 'null' ? ', also for what is empty' : ''}`,
    FAILS[line.onFail ?? 'reject'] ?? '',
  ];
  return parts.filter(Boolean).join('; ');
}
const FAILS: Readonly<Record<string, string>> = {
  default: 'the value for otherwise when it fails',
  null: 'empty when it fails',
  stop: 'the run stops when it fails',
};

function valueWords(line: Line): string {
  switch (line.kind) {
    case undefined:
      return 'to map';
    case 'not loaded':
      return 'not loaded';
    case 'constant':
      return line.value === null || line.value === undefined ? 'always empty' : `always ${quoted(String(line.value))}`;
    case 'generated':
      return line.generate === 'hash'
        ? `hash of ${(line.of ?? []).join(', ')}`
        : line.generate === 'sequence'
          ? 'the next number'
          : 'a new UUID';
    case 'lookup':
      return `translated by code table ${line.codeTable ?? '—'}`;
    default: {
      const form = formOfLine(line);
      return form === null ? 'by the rule' : formWords(form);
    }
  }
}

function formWords(form: LineForm): string {
  switch (form.form) {
    case 'as is':
      return 'as it is';
    case 'fixed':
      return `always ${quoted(form.value)}`;
    case 'codes':
      return `translated by code table ${form.table}`;
    case 'split':
      return `${partWords(form.part)} between ${quoted(form.separator)}${form.trimmed ? ', without blanks around it' : ''}`;
    case 'join':
      return `put together with ${quoted(form.between)} between them`;
    case 'date':
      return `${form.withTime ? 'date and time' : 'date'} written ${form.pattern}`;
    case 'number':
      return `number with decimals after ${quoted(form.mark)}`;
    case 'unit': {
      const known = UNITS.find((unit) => unit.factor === form.factor)?.words;
      const digits = form.decimals === null ? '' : `, ${form.decimals} decimals`;
      return `${known === undefined ? `times ${form.factor}` : `${known} (× ${form.factor})`}${digits}`;
    }
    case 'if':
      return `if ${testWords(form)}: ${formValueWords(form.then)}, otherwise ${formValueWords(form.otherwise)}`;
  }
}
function partWords(part: number): string {
  if (part === 1) return 'the first part';
  if (part === -1) return 'the last part';
  return part > 0 ? `part ${part}` : `part ${-part} from the end`;
}
function testWords({ field, test, value }: Extract<LineForm, { form: 'if' }>): string {
  if (test === 'empty') return `${field} is empty`;
  if (test === 'filled') return `${field} is filled`;
  return `${field} ${test} ${quoted(value)}`;
}
function formValueWords(value: FormValue): string {
  return value.is === 'null' ? 'empty' : value.is === 'field' ? value.field : quoted(value.text);
}
