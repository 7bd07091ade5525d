export * from './words.ts';
export * from './aborted.ts';
export * from './faults.ts';
export { unkeptIn } from './unkept.ts';
export { noDocument } from './json-form.ts';
export { issueWords } from './issue-words.ts';
export * from './fields/types.ts';
export * from './fields/widening.ts';
export * from './fields/values.ts';
export * from './fields/dates.ts';
export * from './fields/decimal.ts';
export * from './fields/convert.ts';
export * from './rules/errors.ts';
export * from './rules/context.ts';
export * from './rules/rule.ts';
export { parseRule } from './rules/parse.ts';
export { walk } from './rules/syntax.ts';
export { tokenize } from './rules/tokens.ts';
export { fieldText, printRule, quoteName, textLiteral, writtenName } from './rules/print.ts';
export { functions } from './rules/functions.ts';
export { comparisonFor } from './rules/compare.ts';
export { castBetween } from './rules/casts.ts';
export type { RuleFunction } from './rules/registry.ts';
export type { Scope, ScopeField } from './rules/scope.ts';
export * from './formats/format.ts';
export * from './formats/file-format.ts';
export * from './formats/delimited/settings.ts';
export * from './formats/fixed-width/settings.ts';
export * from './formats/json-lines/settings.ts';
export * from './formats/json/settings.ts';
export * from './formats/nested/settings.ts';
export * from './formats/xlsx/settings.ts';
export * from './formats/xml/settings.ts';
export * from './formats/sample.ts';
export * from './formats/output.ts';
export type { FormatSettings, SettingEntry, SettingWords } from './formats/settings.ts';
export { FORMAT_SETTINGS, formatWords } from './formats/format-settings.ts';
export * from './formats/text/marks.ts';
export * from './formats/sniff.ts';
export * from './formats/nested/learn.ts';
export * from './formats/xlsx/index.ts';
export { decodeText } from './formats/text/decode.ts';
export { guessColumns } from './formats/fixed-width/sniff.ts';
export { parseJsonTree, treeText } from './formats/json/json-tree.ts';
export {
  Flattener,
  learnStructures,
  StructureLearner,
  structureFields,
  treeJson,
  type Members,
  type Tree,
} from './formats/nested/nested.ts';
export { guessRecords } from './formats/json/read.ts';
export { guessXmlRecords, XmlRecords } from './formats/xml/read.ts';
export * from './formats/text/blocks.ts';
export {
  mergeUnknown,
  isPath,
  UnknownCounter,
  unknownWords,
  type Unknown,
  type UnknownValues,
  type UnknownWay,
} from './formats/unknown.ts';
export * from './formats/read.ts';
export * from './formats/text/byte-writer.ts';
export * from './formats/text/copy.ts';
export { csvHeader, csvLine } from './formats/delimited/write.ts';
export { jsonLine } from './formats/json-lines/write.ts';
export { fieldWidth } from './formats/fixed-width/write.ts';
export * from './formats/text/harmless.ts';
export * from './formats/row-format.ts';
export * from './formats/xml/xml-text.ts';
export * from './formats/text/gzip.ts';
export { landedUnreadable, readFlatObject } from './formats/json-lines/read.ts';
export * from './document/document.ts';
export * from './document/variables.ts';
export * from './document/made-anew.ts';
export * from './document/records.ts';
export * from './document/codes.ts';
export type { SourceField } from './document/source-field.ts';
export * from './document/difference.ts';
export { changeBetween, changed, changedBack, type DocumentChange } from './document/change.ts';
export * from './document/edit.ts';
export * from './document/line-forms.ts';
export * from './document/questions.ts';
export * from './document/merge.ts';
export * from './document/line-events.ts';
export * from './source-set/source-set.ts';
export * from './source-set/source-set-sql.ts';
export * from './compile/compile.ts';
export { KnownRules } from './compile/known-rules.ts';
export * from './plan/plan.ts';
export * from './plan/changes.ts';
export * from './plan/vanished.ts';
export * from './plan/plan-problems.ts';
export * from './plan/conditions.ts';
export * from './plan/places.ts';
export * from './plan/limits.ts';
export * from './plan/pace.ts';
export * from './plan/plan-words.ts';
export * from './plan/schedule.ts';
export * from './plan/share.ts';
export * from './plan/step-order.ts';
export { isOpen, openFor, opensAt, readWindows, type Window } from './plan/windows.ts';
export { cronWords } from './plan/cron-words.ts';
export { cronOf, cronParts, type CronParts } from './plan/cron-parts.ts';
export * from './compile/source.ts';
export { howOfLine, sourceOfLine } from './compile/line-words.ts';
export * from './compile/key-map.ts';
export { usesOf, type Use } from './compile/uses.ts';
export * from './compile/document-sql.ts';
export * from './profile/profile.ts';
export * from './profile/quality.ts';
export * from './profile/reading.ts';
export type { Damage } from './profile/damage.ts';
export { HyperLogLog } from './profile/hyper-log-log.ts';
export { patternOf } from './profile/patterns.ts';
export * from './feed/ahead.ts';
export * from './feed/apply.ts';
export { columnCondition } from './feed/column-condition.ts';
export * from './feed/key-check.ts';
export * from './feed/packed-keys.ts';
export * from './feed/share.ts';
export * from './feed/trial.ts';
export * from './feed/examples.ts';
export * from './feed/whole-trial.ts';
export * from './feed/delivery.ts';
export * from './feed/encodings/copy.ts';
export * from './feed/encodings/encoding.ts';
export * from './feed/encodings/index.ts';
export * from './feed/record-feed.ts';
export * from './feed/watermark.ts';
export * from './feed/refused-by-file.ts';
export * from './workbook/workbook-sheet.ts';
export type { WorkbookFacts } from './workbook/overview.ts';
export * from './workbook/workbook.ts';
export * from './workbook/workbook-reader.ts';
export * from './foreign/foreign.ts';
export * from './foreign/foreign-layout.ts';
export { understandRule } from './foreign/foreign-rule.ts';
export * from './suggest/propose-keys.ts';
export * from './suggest/suggest.ts';
export * from './suggest/starter.ts';
export { NameMatcher, nameWords } from './suggest/name-match.ts';
export * from './structure/structure.ts';
export { withDescribed } from './structure/described.ts';
export { structuresOfXsd } from './structure/xsd.ts';
export * from './structure/json-schema.ts';
export * from './structure/dictionary.ts';
