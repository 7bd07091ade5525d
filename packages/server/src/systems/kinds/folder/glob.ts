/**
 * Whether a name matches a pattern in which `*` stands for any characters. In linear time for each star, whatever the pattern:
 * only the last star is ever tried again.
 */
export function matchesGlob(pattern: string, name: string): boolean {
  let p = 0;
  let n = 0;
  let star = -1;
  let from = 0;
  while (n < name.length) {
    if (pattern[p] === '*') {
      star = p++;
      from = n;
    } else if (p < pattern.length && pattern[p] === name[n]) {
      p++;
      n++;
    } else if (star >= 0) {
      p = star + 1;
      n = ++from;
    } else return false;
  }
  while (pattern[p] === '*') p++;
  return p === pattern.length;
}
