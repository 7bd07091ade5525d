import { LEFT_OUT, mergeUnknown, type Unknown, type UnknownValues } from '../unknown.ts';

/** Of text that was made to be read by people: which of its rows are no records. */
export interface LeavesOut {
  /** Rows that are too short for a record. */
  readonly withoutShort?: boolean;
  /** Rows that begin with one of these texts, separated by commas. */
  readonly withoutBeginning?: string;
}

/** Leaves rows out, and counts them: who reads is told how many there were, and where the first was. */
export class LeftOutRows {
  private readonly short: boolean;
  private readonly beginnings: readonly string[];
  private found = new Map<string, Unknown>();

  constructor({ withoutShort = false, withoutBeginning = '' }: LeavesOut) {
    this.short = withoutShort;
    this.beginnings = withoutBeginning
      .split(',')
      .map((text) => text.trim())
      .filter((text) => text !== '');
  }
  /** Whether a row that begins so is left out. `row`: the number of the record before it; 0 where there is none. */
  begins(text: string, row: number): boolean {
    if (this.beginnings.length === 0) return false;
    const start = text.trimStart();
    return this.beginnings.some((beginning) => start.startsWith(beginning)) && this.leave(LEFT_OUT.beginning, row);
  }
  /** Whether a row that is too short is left out. */
  isShort(row: number): boolean {
    return this.short && this.leave(LEFT_OUT.short, row);
  }
  private leave(why: string, row: number): true {
    this.found = mergeUnknown([this.found, new Map([[why, { count: 1, row }]])]);
    return true;
  }
  /** What was left out since it was asked last, as a part of a batch. */
  take(): { readonly unknown?: UnknownValues } {
    if (this.found.size === 0) return {};
    const unknown = this.found;
    this.found = new Map();
    return { unknown };
  }
}
/** Whether there is anything that it leaves out. */
export const leavesOut = ({ withoutShort = false, withoutBeginning = '' }: LeavesOut): boolean =>
  withoutShort || withoutBeginning.trim() !== '';
