import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import {
  castBetween,
  Fault,
  makeRule,
  parseFieldType,
  readFlatObject,
  RuleContext,
  RuleError,
  type ScopeField,
  timestampOfMillis,
  type Value,
  valueText,
} from '@versicle/core';
import { requireFile } from './files.ts';

/** `versicle rule`: rules over rows, one JSON line for each rule and row. */
export async function rule(argv: string[], print: (text: string) => void): Promise<number> {
  const { values, positionals } = parseArgs({
    args: argv,
    allowPositionals: true,
    options: { file: { type: 'string' }, rows: { type: 'string' }, fields: { type: 'string' } },
  });
  if (!values.rows) throw new Fault('input', 'Name the rows: --rows FILE.jsonl');
  if ((values.file === undefined) === (positionals.length === 0))
    throw new Fault('input', 'Give one rule in quotes, or --file RULES.txt with one rule a line.');
  if (positionals.length > 1) throw new Fault('input', 'Give one rule, in quotes.');
  const rules = values.file === undefined ? positionals : readRules(values.file);
  const { fields, rows } = readRowsFile(values.rows, values.fields);
  const now = timestampOfMillis(Date.now());
  const lines: string[] = [];
  for (const [i, text] of rules.entries()) {
    if (values.file !== undefined && text.trim() === '') continue;
    lines.push(...answers(i + 1, text, fields, rows, now));
    if (lines.length > 5000) print(lines.splice(0).join('\n'));
  }
  if (lines.length > 0) print(lines.join('\n'));
  return 0;
}

function readRules(path: string): string[] {
  requireFile(path);
  const lines = readFileSync(path, 'utf8')
    .replace(/^\ufeff/, '')
    .split(/\r?\n/);
  if (lines.at(-1) === '') lines.pop();
  return lines;
}

function answers(
  number: number,
  text: string,
  fields: readonly ScopeField[],
  rows: readonly (readonly Value[])[],
  now: ReturnType<typeof timestampOfMillis>,
): string[] {
  let made: ReturnType<typeof makeRule>;
  try {
    made = makeRule(text, { fields });
  } catch (error) {
    if (error instanceof RuleError)
      return [JSON.stringify({ rule: number, refused: error.message, position: error.at + 1 })];
    throw error;
  }
  return rows.map((row, i) => {
    const ctx = new RuleContext();
    ctx.row = row;
    ctx.now = now;
    const value = made.run(ctx);
    return JSON.stringify(
      ctx.fault
        ? { rule: number, row: i + 1, error: ctx.fault.message }
        : { rule: number, row: i + 1, value: valueText(value, made.type) },
    );
  });
}

/** Rows as typed values; `--fields` may stand as a file or as JSON right on the command line. */
function readRowsFile(path: string, fieldsGiven: string | undefined): { fields: ScopeField[]; rows: Value[][] } {
  requireFile(path);
  const objects = readFileSync(path, 'utf8')
    .replace(/^\ufeff/, '')
    .split('\n')
    .flatMap((line, i) => {
      if (line.trim() === '') return [];
      try {
        return [readFlatObject(line)];
      } catch (error) {
        throw new Fault('input', `${path}, line ${i + 1}: ${(error as Error).message}`);
      }
    });
  const types = readTypes(fieldsGiven);
  const names = [...new Set([...Object.keys(types), ...objects.flatMap((o) => [...o.keys()])])];
  const fields = names.map((name, slot): ScopeField => {
    const given = types[name];
    try {
      return { alias: null, name, slot, type: given === undefined ? 'text' : parseFieldType(given).value };
    } catch (error) {
      throw new Fault('input', `Field ${name}: ${(error as Error).message}`);
    }
  });
  const rows = objects.map((object, i) =>
    fields.map((field): Value => {
      const text = object.get(field.name) ?? null;
      if (text === null || field.type === 'text') return text;
      const cast = castBetween('text', field.type);
      if (!cast) throw new Fault('input', `Field ${field.name}: values of type ${field.type} can't be given here.`);
      const ctx = new RuleContext();
      const value = cast(text as never, ctx);
      if (ctx.fault) throw new Fault('input', `${path}, line ${i + 1}, field ${field.name}: ${ctx.fault.message}`);
      return value;
    }),
  );
  return { fields, rows };
}

function readTypes(given: string | undefined): Record<string, string> {
  if (given === undefined) return {};
  const inline = given.trimStart().startsWith('{');
  if (!inline) requireFile(given);
  try {
    const data: unknown = JSON.parse(inline ? given : readFileSync(given, 'utf8'));
    if (typeof data === 'object' && data !== null && Object.values(data).every((v) => typeof v === 'string'))
      return data as Record<string, string>;
  } catch {
    // said below
  }
  throw new Fault('input', '--fields takes a JSON object of field names and types: {"d":"date","n":"numeric"}');
}
