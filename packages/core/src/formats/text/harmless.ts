/** What a spreadsheet program would take for a formula, and what already begins with the sign that prevents that. */
const FORMULA = /^[=+\-@\t\r']/;

/** A cell of a CSV that people open in spreadsheet programs: nothing in it computes. */
export function harmlessCell(text: string): string {
  return FORMULA.test(text) ? `'${text}` : text;
}
/** The other way round, for files that come back. */
export function fromHarmlessCell(text: string): string {
  return text.startsWith("'") && FORMULA.test(text.slice(1)) ? text.slice(1) : text;
}
