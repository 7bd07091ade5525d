/** What XML has no place for, in whatever way it is written (XML 1.0, section 2.2). */
export const NOT_IN_XML = /[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/u;

const MARKS: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };

/** A text as the content of an element. A carriage return as it stands would be read as a line feed (2.11). */
export const xmlText = (text: string): string => text.replace(/[&<>\r]/g, (c) => MARKS[c] ?? `&#${c.charCodeAt(0)};`);
/** A text as the value of an attribute, where white space as it stands would be read as blanks (3.3.3). */
export const xmlAttribute = (text: string): string =>
  text.replace(/[&<>"\t\n\r]/g, (c) => MARKS[c] ?? `&#${c.charCodeAt(0)};`);
