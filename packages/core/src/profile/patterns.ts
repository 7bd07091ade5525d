/** `AB-123` → `AA-999`. Long texts have their runs shortened: what matters then is what kinds of run follow each other. */
export function patternOf(value: string): string {
  const long = value.length > 18;
  if (!long && allDigits(value)) return DIGITS[value.length]!;
  let pattern = '';
  let last = '';
  for (let i = 0; i < value.length && pattern.length < 40; i++) {
    const c = value.charCodeAt(i);
    const kind =
      c >= 48 && c <= 57
        ? '9'
        : c >= 97 && c <= 122
          ? 'a'
          : c >= 65 && c <= 90
            ? 'A'
            : c < 128
              ? value[i]!
              : letterKind(value[i]!);
    if (long && kind === last && (kind === '9' || kind === 'a' || kind === 'A')) {
      if (!pattern.endsWith('+')) pattern += '+';
      continue;
    }
    pattern += kind;
    last = kind;
  }
  return pattern;
}
const DIGITS = Array.from({ length: 19 }, (_, length) => '9'.repeat(length));
export function allDigits(value: string): boolean {
  for (let i = 0; i < value.length; i++) {
    const c = value.charCodeAt(i);
    if (c < 48 || c > 57) return false;
  }
  return value !== '';
}
function letterKind(c: string): string {
  const lower = c.toLowerCase();
  return lower === c.toUpperCase() ? c : c === lower ? 'a' : 'A';
}
