import { isPeriod, refused } from '@versicle/core';

/** The variables of a connection, written one a line as `name = value`. Throws a fault that names the line. */
export function readVariables(text: string): Map<string, string> {
  const variables = new Map<string, string>();
  for (const [i, line] of text.split(/\r?\n/).entries()) {
    if (line.trim() === '') continue;
    const found = /^\s*([A-Za-z_][A-Za-z0-9_]*)\s*=\s*(.*?)\s*$/.exec(line);
    if (!found)
      throw refused(`Variables, line ${i + 1}: write name = value; a name has letters, digits and _.`, [
        { path: 'connection.variables', message: 'name = value' },
      ]);
    if (isPeriod(found[1]!)) throw refused(`Variables: “${found[1]}” is the name of a period; choose another one.`);
    variables.set(found[1]!, found[2]!);
  }
  return variables;
}
