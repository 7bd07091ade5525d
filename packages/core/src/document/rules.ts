import type { Line, MappingDocument, Skip } from './document.ts';

/** The skips that are asked of a record as it was read: they name source fields. */
export const readSkips = (document: MappingDocument): readonly Skip[] =>
  document.skips.filter((s) => s.at !== 'mapped');

/** The rules of a line that read source fields. */
export function rulesOfLine(line: Line): string[] {
  return [line.kind === 'rule' ? line.rule : line.source, line.condition, line.default, ...(line.of ?? [])].flatMap(
    (text) => text ?? [],
  );
}

/** The rules that make records of the source's datasets; how they are sorted (`field DESC`) is none of them. */
export const setRules = ({ source }: MappingDocument): string[] => [
  ...(source.filter ? [source.filter] : []),
  ...source.joins.map((j) => j.on),
  ...source.distinctOn,
  ...source.groupBy,
];

/** The rules that read a record of the source. */
export const recordRules = (document: MappingDocument): string[] => [
  ...readSkips(document).map((s) => s.when),
  ...document.lines.flatMap(rulesOfLine),
];

/** All that a document says in rules, sort keys among them. */
export const documentRules = (document: MappingDocument): string[] => [
  ...setRules(document),
  ...document.source.orderBy,
  ...recordRules(document),
  ...document.skips.filter((s) => s.at === 'mapped').map((s) => s.when),
  ...document.lines.flatMap((l) => l.check ?? []),
  ...document.checks.map((c) => c.rule),
];
