import { readDate } from '../fields/date-input.ts';
import type { CodeTables } from '../rules/context.ts';
import type { Code, MappingDocument, Problem } from './document.ts';

/** The code tables as rules use them, with the codes that count on a day (all without one). */
export function codeTablesOf(document: MappingDocument, day: number | null = null): CodeTables {
  return new Map(
    Object.entries(document.codeTables).map(([name, codes]) => [
      name,
      new Map(codes.filter((c) => day === null || counts(c, day)).map((c) => [c.from, c.to])),
    ]),
  );
}
export function codeDefaultsOf({ codeDefaults }: MappingDocument): ReadonlyMap<string, string> {
  return new Map(Object.entries(codeDefaults ?? {}));
}
/** Whether any code counts only for a time. */
export function hasDatedCodes({ codeTables }: MappingDocument): boolean {
  return Object.values(codeTables).some((codes) => codes.some((c) => c.validFrom || c.validTo));
}
function counts({ validFrom, validTo }: Code, day: number): boolean {
  return (!validFrom || dayOf(validFrom) <= day) && (!validTo || day <= dayOf(validTo));
}
const dayOf = (text: string): number => readDate(text) as number;

/** Codes that stand twice for the same time: which, each once. */
export function doubledCodes(codes: readonly Code[]): string[] {
  const seen = new Map<string, Code[]>();
  const doubled = new Set<string>();
  for (const code of codes) {
    const others = seen.get(code.from) ?? [];
    if (others.some((o) => overlap(o, code))) doubled.add(code.from);
    seen.set(code.from, [...others, code]);
  }
  return [...doubled];
}
function overlap(a: Code, b: Code): boolean {
  const before = (x: Code, y: Code): boolean =>
    x.validTo !== undefined && y.validFrom !== undefined && dayOf(x.validTo) < dayOf(y.validFrom);
  return !before(a, b) && !before(b, a);
}

export function codeProblems({ codeTables, codeDefaults }: MappingDocument): Problem[] {
  const problems: Problem[] = [];
  const report = (path: string, message: string): void => void problems.push({ severity: 'error', path, message });
  for (const [name, codes] of Object.entries(codeTables)) {
    for (const from of doubledCodes(codes))
      report(`codeTables.${name}`, `The code “${from}” stands twice in the code table ${name}; keep one.`);
    for (const { from, validFrom, validTo } of codes)
      if (validFrom && validTo && dayOf(validFrom) > dayOf(validTo))
        report(
          `codeTables.${name}`,
          `The code “${from}” of ${name} ends on ${validTo}, before it begins on ${validFrom}.`,
        );
  }
  for (const name of Object.keys(codeDefaults ?? {}))
    if (!(name in codeTables))
      report(`codeDefaults.${name}`, `There is no code table “${name}” that could have a default.`);
  return problems;
}
