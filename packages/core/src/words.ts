/** Edit distance with adjacent swaps (optimal string alignment), for short names. */
function distance(a: string, b: string): number {
  let older: number[] = [];
  let previous = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1];
      let best = Math.min(previous[j]! + 1, row[j - 1]! + 1, previous[j - 1]! + (same ? 0 : 1));
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) best = Math.min(best, older[j - 2]! + 1);
      row.push(best);
    }
    older = previous;
    previous = row;
  }
  return previous[b.length]!;
}

/** The candidate that somebody probably meant, or null when none is near. Names over 80 characters are not compared. */
export function nearest(wanted: string, candidates: Iterable<string>): string | null {
  const low = wanted.toLowerCase();
  if (low.length > 80) return null;
  let best: string | null = null;
  let bestScore = Math.max(1, Math.floor(low.length / 3)) + 0.5;
  for (const candidate of candidates) {
    const other = candidate.toLowerCase();
    if (Math.abs(other.length - low.length) > 12 || other.length > 80) continue;
    const contained = low.length >= 3 && (other.includes(low) || low.includes(other)) && other.length >= 3;
    const score = contained ? Math.min(distance(low, other), 1) : distance(low, other);
    if (score < bestScore) {
      best = candidate;
      bestScore = score;
    }
  }
  return best;
}

/** “1 record”, “2 records”; figures with thousands separators. */
export function counted(n: number, one: string, many = `${one}s`): string {
  return `${n.toLocaleString('en-GB')} ${n === 1 ? one : many}`;
}

/** A value as it is quoted in a sentence: shortened, control characters made visible. */
export function quoted(value: string, limit = 60): string {
  const visible = value.replace(
    // eslint-disable-next-line no-control-regex -- control characters are what is looked for
    /[\u0000-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069]/g,
    (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
  return `“${visible.length > limit ? `${visible.slice(0, limit)}…` : visible}”`;
}

/** “a”, “a and b”, “a, b and c”. */
export function listed(all: readonly string[], word = 'and'): string {
  return all.length < 2 ? (all[0] ?? '') : `${all.slice(0, -1).join(', ')} ${word} ${all.at(-1)!}`;
}

export const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
/** A complaint as a sentence. */
export const sentence = (text: string): string => `${capital(text).replace(/\.$/, '')}.`;
