import { parse as parseCsv } from 'csv-parse/sync';
import { decodeText, type DelimitedFormat, type Encoding, type FileFormat } from '@versicle/core';
import { XmlDocument, type XmlElement } from 'libxml2-wasm';
import type { Outcome } from './corpus.ts';

/**
 * Whether what was read of a damaged file accounts for what is in it, as a second parser of the format sees it; null: it does.
 * Nothing may be missing without a word: where the other one refuses, we have to say something, and where it reads, there are as
 * many records as it has.
 */
export function unaccounted(bytes: Buffer, format: FileFormat, read: Outcome, origin: Outcome): string | null {
  const told = read.refusal !== null || read.unreadable.length > 0 || read.unknown.length > 0;
  switch (format.kind) {
    case 'xlsx':
      return told || JSON.stringify(read.rows) === JSON.stringify(origin.rows)
        ? null
        : 'other rows, and nothing is said';
    case 'json':
      // What is damaged beside the records, and nothing of them, decides nothing.
      if (format.records !== '' && JSON.stringify(read.rows) === JSON.stringify(origin.rows)) return null;
      return jsonAccount(bytes, format.encoding, format.records, format.part, read, told);
    case 'jsonl':
      return linesAccount(bytes, read);
    case 'xml':
      return format.part === '' ? xmlAccount(bytes, format.records, read, told) : null;
    case 'delimited':
      return delimitedAccount(bytes, format, read, told);
    case 'fixed':
      return fixedAccount(bytes, read);
  }
}

const decoded = (bytes: Buffer, encoding: Encoding): string | null => {
  // What this Node.js calls windows-1252 has no characters between 80 and 9F.
  if (encoding === 'windows-1252') return decodeText(bytes, encoding);
  try {
    return new TextDecoder(encoding, { fatal: true }).decode(bytes);
  } catch {
    return null;
  }
};
const sum = (read: Outcome): number => read.rows.length + read.unreadable.length;

/** Against JSON.parse. */
function jsonAccount(
  bytes: Buffer,
  encoding: Encoding,
  records: string,
  part: string,
  read: Outcome,
  told: boolean,
): string | null {
  const text = decoded(bytes, encoding);
  let value: unknown;
  try {
    value = text === null ? undefined : JSON.parse(text);
  } catch {
    value = undefined;
  }
  if (value === undefined) return told ? null : 'it is no JSON, and nothing is said';
  for (const name of records === '' ? [] : records.split('.'))
    value = (value as Record<string, unknown> | null)?.[name];
  if (part !== '' || !Array.isArray(value) || read.refusal !== null) return null;
  return value.length === sum(read) ? null : `JSON.parse has ${value.length} records, we ${sum(read)}`;
}
/** Against JSON.parse of each line. */
function linesAccount(bytes: Buffer, read: Outcome): string | null {
  if (read.refusal !== null) return null;
  const lines = bytes
    .toString('latin1')
    .split('\n')
    .map((line) => Buffer.from(line, 'latin1'))
    .filter((line) => line.toString().trim() !== '');
  if (lines.length !== sum(read)) return `there are ${lines.length} lines, we have ${sum(read)}`;
  const good = lines.filter((line) => {
    try {
      const value: unknown = JSON.parse(decoded(line, 'utf-8') ?? '');
      return value !== null && typeof value === 'object' && !Array.isArray(value);
    } catch {
      return false;
    }
  }).length;
  return read.rows.length <= good ? null : `JSON.parse reads ${good} lines, we ${read.rows.length}`;
}
/** Against libxml2. */
function xmlAccount(bytes: Buffer, records: string, read: Outcome, told: boolean): string | null {
  const path = records.split('/').map((name) => `/*[local-name()='${name}']`);
  let document: XmlDocument;
  try {
    document = XmlDocument.fromBuffer(bytes);
  } catch (error) {
    // What stands between records is none of them: bytes of another encoding spoil nothing there.
    return told || /Invalid bytes|encoding/.test((error as Error).message)
      ? null
      : `it is no XML, and nothing is said: ${(error as Error).message.trim()}`;
  }
  const found = (document.root as XmlElement).find(path.join('')).length;
  document.dispose();
  if (read.refusal !== null || found === sum(read)) return null;
  return `libxml2 has ${found} records, we ${sum(read)}`;
}
/** Against csv-parse. A quote within a cell that does not begin with one is a character to us; it refuses that. */
function delimitedAccount(bytes: Buffer, format: DelimitedFormat, read: Outcome, told: boolean): string | null {
  if (read.refusal !== null) return null;
  const text = decoded(bytes, format.encoding);
  if (text === null || text.includes('\0')) return told ? null : 'it has bytes that are no text, and nothing is said';
  let rows: string[][];
  try {
    // Half of a line end, where the file was cut.
    rows = parseCsv(format.newline === '\n' ? text.replace(/\r$/, '') : text, {
      delimiter: format.delimiter,
      record_delimiter: format.newline === '\r' ? ['\r'] : ['\n', '\r\n'],
      skip_empty_lines: true,
      bom: true,
    });
  } catch (error) {
    const { code } = error as { code?: string };
    return told || code === 'INVALID_OPENING_QUOTE' ? null : `csv-parse refuses it (${code}), and nothing is said`;
  }
  const records = Math.max(0, rows.length - 1);
  if (records !== sum(read)) return `csv-parse has ${records} records, we ${sum(read)}`;
  if (told) return null;
  const ours = read.rows.map((row) => row.map((cell) => cell ?? ''));
  return JSON.stringify(ours) === JSON.stringify(rows.slice(1)) ? null : 'csv-parse has other values';
}
/** A line is a record, whatever stands in it. */
function fixedAccount(bytes: Buffer, read: Outcome): string | null {
  if (read.refusal !== null) return null;
  const lines = bytes
    .toString('latin1')
    .split('\n')
    .filter((line) => line.trim() !== '').length;
  return lines === sum(read) ? null : `there are ${lines} lines, we have ${sum(read)}`;
}
