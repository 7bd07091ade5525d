import { jsonLine } from '../json-lines/write.ts';
import { canAlways, columnsOf, type RowFormatOf } from '../output.ts';

/** One list, an object a line. */
export const jsonList: RowFormatOf = (fields) => {
  const columns = columnsOf(fields);
  let first = true;
  return {
    begin: (out) => out.text('[\n'),
    cantWrite: canAlways,
    row: (out, values) => {
      if (!first) out.text(',');
      first = false;
      jsonLine(out, values, columns);
    },
    end: (out) => out.text(']\n'),
  };
};
