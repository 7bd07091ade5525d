/** Conditions of a query that are there only for what is asked, with their parameters. */
export class Conditions {
  readonly params: unknown[] = [];
  private readonly parts: string[] = [];

  /** A condition on a value (`make` gets its placeholder); none where nothing is asked. */
  add(make: (placeholder: string) => string, value: unknown): void {
    if (value === undefined || value === '') return;
    this.parts.push(make(this.param(value)));
  }
  always(condition: string): void {
    this.parts.push(condition);
  }
  /** The placeholder of a parameter. */
  param(value: unknown): string {
    this.params.push(value);
    return `$${this.params.length}`;
  }
  get sql(): string {
    return this.parts.length > 0 ? this.parts.join(' AND ') : 'true';
  }
}
