/** Characters of a cell at the most (ECMA-376). */
export const MAX_CELL = 32_767;

/**
 * A text as a workbook keeps it: control characters, carriage returns and what reads like one of their escapes are written
 * as `_x000D_` (ECMA-376, 22.9.2.19); everything else stays.
 */
export function cellText(text: string): string {
  return text
    .replace(/_(?=x[0-9A-Fa-f]{4}_)/g, '_x005F_')
    .replace(UNWRITTEN, (c) => `_x${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}_`);
}
// eslint-disable-next-line no-control-regex -- control characters are what is looked for
const UNWRITTEN = /[\u0000-\u0008\u000b\u000c\u000d\u000e-\u001f\ufffe\uffff]/g;
