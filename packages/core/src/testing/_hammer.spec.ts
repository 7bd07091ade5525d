import { readFileSync } from 'node:fs';
import { differences, evaluate } from './evaluate.ts';
import { Reference } from './reference.ts';
import { RuleError } from '../rules/errors.ts';
it('hammers', async () => {
  const reference = await Reference.open();
  const rules = readFileSync('/tmp/rules.txt', 'utf8')
    .split('\n')
    .filter((l) => l.trim());
  let out = '';
  let refused = 0,
    ok = 0,
    bad = 0;
  for (const rule of rules) {
    const ours = evaluate(rule);
    const theirs = await reference.ask(rule);
    if (ours instanceof RuleError) {
      refused++;
      const t = theirs[0]!;
      if (!theirs.every((x) => x.error)) out += `REFUSED ${rule}\n   ${ours.message}   [pg: ${t.value}]\n`;
      continue;
    }
    const d = differences(ours, theirs);
    if (d.length) {
      bad++;
      out += `DIFF ${rule}\n   ${d.slice(0, 4).join('\n   ')}\n`;
    } else ok++;
  }
  process.stdout.write(`ok ${ok} bad ${bad} refused ${refused}\n${out}`);
  await reference.close();
}, 600000);
