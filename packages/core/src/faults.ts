/** What kind of thing went wrong, for whoever has to decide what follows; which status it has over HTTP is known there only. */
export type FaultCode =
  /** There is no such thing. */
  | 'not found'
  /** It can't be done as things are; the sentence says what to change. */
  | 'refused'
  /** Somebody else was faster. */
  | 'changed'
  /** What was sent makes no sense. */
  | 'not understood'
  | 'not allowed'
  | 'not signed'
  | 'too old'
  | 'too often'
  | 'too large'
  | 'unavailable'
  /** A file or answer as a whole can't be read: what, where and what to do. */
  | 'unreadable'
  /** A file can't be written: which, and why. */
  | 'unwritable'
  /** No mapping document; `details` has every path at fault. */
  | 'document'
  /** A schema that can't be used. */
  | 'structure'
  /** What a source set can't do. */
  | 'source set'
  /** What was said on the command line can't be worked with. */
  | 'input'
  /** The store can't be reached at the moment; what is under way goes on as soon as it can. */
  | 'store away'
  /** The program can't start. */
  | 'start';

export interface FaultDetail {
  readonly path: string;
  readonly message: string;
}

/** What people may see of a failure: `message` is a sentence for them, with what to do. */
export class Fault extends Error {
  constructor(
    readonly code: FaultCode,
    message: string,
    readonly details: readonly FaultDetail[] = [],
    options?: ErrorOptions,
  ) {
    super(message, options);
    this.name = 'Fault';
  }
}

export const notFound = (message: string): Fault => new Fault('not found', message);
export const refused = (message: string, details: readonly FaultDetail[] = []): Fault =>
  new Fault('refused', message, details);
export const changedMeanwhile = (message: string): Fault => new Fault('changed', message);

/** Whether an error is a fault, of one of these codes if any are named. */
export function isFault(error: unknown, ...codes: readonly FaultCode[]): error is Fault {
  return error instanceof Fault && (codes.length === 0 || codes.includes(error.code));
}
