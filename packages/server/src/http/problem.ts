/** An answer that is not what was asked for: status, a sentence, and what to do. Becomes problem+json (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    message: string,
    readonly faults: readonly { path: string; message: string }[] = [],
  ) {
    super(message);
    this.name = 'Problem';
  }
}
export const notFound = (what: string): Problem => new Problem(404, 'Not found', what);
export const refused = (message: string, faults: Problem['faults'] = []): Problem =>
  new Problem(422, 'Not possible', message, faults);
export const conflict = (message: string): Problem => new Problem(409, 'Changed meanwhile', message);
