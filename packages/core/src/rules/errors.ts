/** A rule that is refused before it runs: what, where (0-based offsets into its text) and, where there is one, a proposal. */
export class RuleError extends Error {
  constructor(
    message: string,
    readonly at: number,
    readonly end: number = at + 1,
    /** The text that would stand between `at` and `end` instead. */
    readonly proposal?: string,
  ) {
    super(message);
    this.name = 'RuleError';
  }
}
