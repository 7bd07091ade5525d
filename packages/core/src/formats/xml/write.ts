import { Fault } from '../../faults.ts';
import { outputText, type Value } from '../../fields/values.ts';
import { columnsOf, type Column, type RowFormatOf } from '../output.ts';
import { NOT_IN_XML, xmlText } from './xml-text.ts';

/** A field's name as an element's name (XML 1.0, section 2.3). */
function elementName(name: string): string {
  const safe = name.replace(/[^\p{L}\p{N}._-]/gu, '_');
  return /^[\p{L}_]/u.test(safe) && !/^xml/i.test(safe) ? safe : `_${safe}`;
}
/** Nulls are left out, so that an empty element is an empty text. */
export const xmlList: RowFormatOf = (fields) => {
  const columns = columnsOf(fields);
  const names = columns.map((c) => elementName(c.name));
  const twice = names.findIndex((name, i) => names.indexOf(name) !== i);
  if (twice >= 0)
    throw new Fault(
      'unwritable',
      `The fields ${columns[names.indexOf(names[twice]!)]!.name} and ${columns[twice]!.name} would both be the element ${names[twice]}; give one of them another name.`,
    );
  return {
    cantWrite: (values) => {
      const holds = (value: Value, type: Column['type']): boolean =>
        (typeof value === 'string' || Array.isArray(value)) && NOT_IN_XML.test(outputText(value, type)!);
      const at = columns.findIndex(({ type }, i) => holds(values[i]!, type));
      if (at < 0) return null;
      return { field: columns[at]!.name, message: 'it holds a control character, which XML can’t carry' };
    },
    begin: (out) => out.text('<?xml version="1.0" encoding="UTF-8"?>\n<records>\n'),
    row: (out, values) => {
      const cells = names.map((name, i) => {
        const value = values[i]!;
        return value === null ? '' : `<${name}>${xmlText(outputText(value, columns[i]!.type)!)}</${name}>`;
      });
      out.text(`<record>${cells.join('')}</record>\n`);
    },
    end: (out) => out.text('</records>\n'),
  };
};
