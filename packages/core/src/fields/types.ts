import { nearest } from '../words.ts';

/** The kinds of value that rules work with; the names are PostgreSQL's short ones. */
export type ValueType =
  | 'unknown'
  | 'text'
  | 'bool'
  | 'int2'
  | 'int4'
  | 'int8'
  | 'numeric'
  | 'float8'
  | 'date'
  | 'timestamp'
  | 'timestamptz'
  | 'interval'
  | 'uuid'
  | 'jsonb'
  | 'bytea'
  | 'text[]';

/** A field's type as the document writes it: `varchar(12)`, `numeric(9,2)`, `date` … */
export interface FieldType {
  readonly value: ValueType;
  /** As PostgreSQL spells it, with its modifiers. */
  readonly sql: string;
  /** varchar(n), char(n): characters. */
  readonly length?: number;
  /** char(n): filled with blanks to its length. */
  readonly padded?: boolean;
  /** numeric(p,s). */
  readonly precision?: number;
  readonly scale?: number;
}

const SPELLINGS: Record<string, [ValueType, string]> = {
  text: ['text', 'text'],
  varchar: ['text', 'varchar'],
  'character varying': ['text', 'varchar'],
  char: ['text', 'char'],
  character: ['text', 'char'],
  boolean: ['bool', 'boolean'],
  bool: ['bool', 'boolean'],
  smallint: ['int2', 'smallint'],
  int2: ['int2', 'smallint'],
  integer: ['int4', 'integer'],
  int: ['int4', 'integer'],
  int4: ['int4', 'integer'],
  bigint: ['int8', 'bigint'],
  int8: ['int8', 'bigint'],
  numeric: ['numeric', 'numeric'],
  decimal: ['numeric', 'numeric'],
  'double precision': ['float8', 'double precision'],
  float8: ['float8', 'double precision'],
  float: ['float8', 'double precision'],
  date: ['date', 'date'],
  timestamp: ['timestamp', 'timestamp'],
  'timestamp without time zone': ['timestamp', 'timestamp'],
  timestamptz: ['timestamptz', 'timestamptz'],
  'timestamp with time zone': ['timestamptz', 'timestamptz'],
  interval: ['interval', 'interval'],
  uuid: ['uuid', 'uuid'],
  jsonb: ['jsonb', 'jsonb'],
};
/** Kinds of value that rules work with, but that no field of a document has. */
const RULE_TYPES: Record<string, FieldType> = {
  bytea: { value: 'bytea', sql: 'bytea' },
  'text[]': { value: 'text[]', sql: 'text[]' },
  'varchar[]': { value: 'text[]', sql: 'text[]' },
};
/** The type that a cast in a rule names. Throws like parseFieldType. */
export function parseRuleType(text: string): FieldType {
  const name = text.trim().toLowerCase();
  return Object.hasOwn(RULE_TYPES, name) ? RULE_TYPES[name]! : parseFieldType(text);
}

export const TYPE_NAMES = Object.keys(SPELLINGS);

/** Reads a type. Throws an Error whose message says what is wrong and names the nearest type. */
export function parseFieldType(text: string): FieldType {
  const match = /^\s*([a-z][a-z0-9_]*(?:\s+[a-z]+)*)\s*(?:\(\s*(-?\d+)\s*(?:,\s*(-?\d+)\s*)?\))?\s*$/i.exec(text);
  const name = match?.[1]?.toLowerCase().replace(/\s+/g, ' ');
  const spelling = name !== undefined && Object.hasOwn(SPELLINGS, name) ? SPELLINGS[name] : undefined;
  if (!match || !spelling) throw new Error(unknownType(text.trim(), name));
  const [value, sql] = spelling;
  const first = match[2] === undefined ? undefined : Number(match[2]);
  const second = match[3] === undefined ? undefined : Number(match[3]);
  if (sql === 'varchar' || sql === 'char') return textType(sql, first, second, text);
  if (sql === 'numeric') return numericType(first, second, text);
  if (first !== undefined) throw new Error(`The type “${text.trim()}” takes no number in brackets; write ${sql}.`);
  return { value, sql };
}

function unknownType(text: string, name: string | undefined): string {
  const near = nearest(name ?? text.toLowerCase(), TYPE_NAMES);
  return `There is no type “${text}”.${near ? ` Did you mean ${near}?` : ` Use one of: ${['text', 'varchar(n)', 'integer', 'numeric(p,s)', 'date', 'timestamp', 'boolean'].join(', ')} …`}`;
}

function textType(sql: string, length: number | undefined, extra: number | undefined, text: string): FieldType {
  if (extra !== undefined) throw new Error(`The type “${text.trim()}” takes one number, its length in characters.`);
  const padded = sql === 'char';
  const size = padded ? (length ?? 1) : length;
  if (size === undefined) return { value: 'text', sql };
  if (size < 1 || size > 10_485_760) throw new Error(`The length in “${text.trim()}” must lie between 1 and 10485760.`);
  return { value: 'text', sql: `${sql}(${size})`, length: size, ...(padded ? { padded } : {}) };
}

function numericType(precision: number | undefined, scale: number | undefined, text: string): FieldType {
  if (precision === undefined) return { value: 'numeric', sql: 'numeric' };
  if (precision < 1 || precision > 1000)
    throw new Error(`The precision in “${text.trim()}” must lie between 1 and 1000.`);
  const places = scale ?? 0;
  if (places < 0 || places > precision)
    throw new Error(`The scale in “${text.trim()}” must lie between 0 and the precision, ${precision}.`);
  return { value: 'numeric', sql: `numeric(${precision},${places})`, precision, scale: places };
}

const SHOWN: Record<ValueType, string> = {
  unknown: 'text',
  text: 'text',
  bool: 'boolean',
  int2: 'smallint',
  int4: 'integer',
  int8: 'bigint',
  numeric: 'numeric',
  float8: 'double precision',
  date: 'date',
  timestamp: 'timestamp',
  timestamptz: 'timestamptz',
  interval: 'interval',
  uuid: 'uuid',
  jsonb: 'jsonb',
  bytea: 'bytea',
  'text[]': 'text[]',
};
/** The name people read and PostgreSQL takes in a cast. */
export function typeName(type: ValueType): string {
  return SHOWN[type];
}
