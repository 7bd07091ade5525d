import { Timestamp } from '../fields/dates.ts';
import type { Value } from '../fields/values.ts';

/** Where in the rule's text something stands (0-based offsets). */
export interface Site {
  readonly at: number;
  readonly end: number;
}

/** Why a rule gave no value for a record. */
export interface RuleFault extends Site {
  readonly cause: 'rule_error' | 'code_not_found' | 'reference_missing';
  readonly message: string;
  /** The code that a table lacks. */
  readonly code?: MissingCode;
}
export interface MissingCode {
  readonly table: string;
  readonly from: string;
}

/** Code tables as rules use them: from-code → to-code. */
export type CodeTables = ReadonlyMap<string, ReadonlyMap<string, string>>;
/** By mapping: source key → target key of records that were delivered. */
export type KeyMaps = ReadonlyMap<string, ReadonlyMap<string, string>>;

/**
 * What a compiled rule works on. Faults are kept here as a flag instead of being thrown: once the first is set, whatever
 * the rest of the rule gives is dropped by the caller, so no function needs to look at it in between.
 */
export class RuleContext {
  row: readonly Value[] = [];
  fault: RuleFault | null = null;
  site: Site = { at: 0, end: 0 };
  /** Something was asked for that is not of the record: in another run, or at another place, the same record may give another value. */
  askedBeyond = false;
  private moment = new Timestamp(0, 0);
  private maps: KeyMaps = new Map();
  variables: Readonly<Record<string, Value>> = {};
  codeTables: CodeTables = new Map();
  codeDefaults: ReadonlyMap<string, string> = new Map();

  /** The moment that now() and CURRENT_DATE mean: the start of the run, in UTC. */
  get now(): Timestamp {
    this.askedBeyond = true;
    return this.moment;
  }
  set now(moment: Timestamp) {
    this.moment = moment;
  }
  get keyMaps(): KeyMaps {
    this.askedBeyond = true;
    return this.maps;
  }
  set keyMaps(maps: KeyMaps) {
    this.maps = maps;
  }

  /** Notes the first fault and returns null, so that a function can say `return ctx.fail('…')`. */
  fail(message: string, cause: RuleFault['cause'] = 'rule_error', code?: MissingCode): null {
    const { at, end } = this.site;
    if (this.fault === null) this.fault = { cause, message, at, end, ...(code ? { code } : {}) };
    return null;
  }
}

/** The number that a record is given, which no rule can name. */
export const SEQUENCE = '#sequence';

/** Variables that are not the plan's: each is another one in another run, or for another record. */
export const BEYOND: ReadonlySet<string> = new Set([
  'run_started_at',
  'run_number',
  'row_number',
  'file_name',
  SEQUENCE,
]);

/** Said where variables are asked for that nobody gives. */
export const noValueFor = (names: readonly string[]): string =>
  `${names.map((n) => `:${n}`).join(', ')} ${names.length === 1 ? 'has' : 'have'} no value here; the plan that carries out the mapping gives ${names.length === 1 ? 'it' : 'them'}, among its variables.`;

/** A compiled rule or part of one. */
export type Compiled = (ctx: RuleContext) => Value;

/** Milliseconds since the epoch to a timestamp in UTC. */
export function timestampOfMillis(millis: number): Timestamp {
  const day = Math.floor(millis / 86_400_000);
  return new Timestamp(day, Math.round((millis - day * 86_400_000) * 1000));
}
