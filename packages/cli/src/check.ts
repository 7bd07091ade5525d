import { parseArgs } from 'node:util';
import {
  compileMapping,
  counted,
  exampleProblems,
  Fault,
  knownSource,
  sourceFieldsFor,
  timestampOfMillis,
} from '@versicle/core';
import { loadMapping, problemText, sourceFiles, sourceNames } from './mapping-file.ts';

/** `versicle check`: the problems of a document, and its examples that come out otherwise than they should. Exit code 1 when one of them is an error. */
export async function check(argv: string[], print: (text: string) => void): Promise<number> {
  const { values } = parseArgs({
    args: argv,
    options: {
      mapping: { type: 'string' },
      source: { type: 'string', multiple: true },
      format: { type: 'string', multiple: true },
    },
  });
  if (!values.mapping) throw new Fault('input', 'Name the mapping: --mapping FILE');
  const document = await loadMapping(values.mapping);
  const source = values.source
    ? sourceNames(document, await sourceFiles(document, values.source, values.format))
    : knownSource(document);
  if (source.guessed)
    print('warning: the document does not say which fields its source has; give --source to check their names');
  const { names, marks } = source;
  const problems = [
    ...compileMapping(document, sourceFieldsFor(document, names, marks)).problems,
    ...exampleProblems({ document, fields: names, marks, now: timestampOfMillis(Date.now()) }),
  ];
  for (const problem of problems) print(problemText(problem));
  const examples = document.examples?.length ?? 0;
  const errors = problems.filter((p) => p.severity === 'error').length;
  print(
    errors === 0
      ? `${document.name}: no errors in ${counted(document.lines.length, 'line')}${examples === 0 ? '' : `, ${counted(examples, 'example')} as expected`}`
      : `${document.name}: ${counted(errors, 'error')}`,
  );
  return errors === 0 ? 0 : 1;
}
