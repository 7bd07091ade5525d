import { Fault } from '@versicle/core';

/** `--set name=value`. Throws a fault. */
export function readVariable(text: string): [name: string, value: string] {
  const at = text.indexOf('=');
  if (at < 1) throw new Fault('input', `“${text}” sets no variable; write --set name=value.`);
  return [text.slice(0, at), text.slice(at + 1)];
}
