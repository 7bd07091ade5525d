/** The chapters of the guide (docs/guide), in their order. */
export interface Chapter {
  readonly id: string;
  readonly title: string;
  readonly about: string;
}
export const CHAPTERS: readonly Chapter[] = [
  { id: 'first-steps', title: 'First steps', about: 'The demo in five minutes, your own file in ten.' },
  { id: 'systems', title: 'Connecting systems', about: 'Folders, databases, APIs, webhooks, mail.' },
  { id: 'data', title: 'Looking at data', about: 'Rows, structure, values, quality, format.' },
  { id: 'mapping', title: 'The mapping sheet', about: 'What fills each target field, line by line.' },
  { id: 'rules', title: 'Rules by task', about: 'Names, dates, numbers, codes: rules to begin with.' },
  { id: 'functions', title: 'Functions', about: 'Every function that rules know.' },
  { id: 'code-tables', title: 'Code tables', about: 'What a code becomes, and codes that are lacking.' },
  { id: 'source-sets', title: 'Joins and source sets', about: 'Several datasets brought together.' },
  { id: 'workbooks', title: 'Workbooks and spreadsheets', about: 'The document out and back, and those of others.' },
  { id: 'publishing', title: 'Trying, signing, publishing', about: 'From a draft to a revision that runs.' },
  { id: 'running', title: 'Plans and runs', about: 'Carrying a mapping out, and what a run counts.' },
  { id: 'failures', title: 'Failed records', about: 'Causes, and the ways out.' },
  { id: 'command-line', title: 'The command line', about: 'The same document without the application.' },
  { id: 'operating', title: 'Operating', about: 'Settings, backups, what survives.' },
];

const OWN: readonly (readonly [address: RegExp, chapter: string])[] = [
  [/^\/systems\/[^/]+\/dataset/, 'data'],
  [/^\/systems/, 'systems'],
  [/^\/mappings\/new\/spreadsheet/, 'workbooks'],
  [/^\/mappings\/all\/lines/, 'workbooks'],
  [/^\/mappings\/[^/]+\/revisions/, 'publishing'],
  [/^\/mappings\/[^/?]+\?(?:.*&)?view=source/, 'source-sets'],
  [/^\/mappings\/[^/?]+\?(?:.*&)?view=codes/, 'code-tables'],
  [/^\/mappings\/[^/?]+\?(?:.*&)?view=(trial|examples|sql)/, 'publishing'],
  [/^\/mappings/, 'mapping'],
  [/^\/(plans|runs|settings)/, 'running'],
  [/^\/failures/, 'failures'],
  [/^\/codes/, 'code-tables'],
];
/** The chapter of the page with this address. */
export const chapterOf = (address: string): string =>
  OWN.find(([pattern]) => pattern.test(address))?.[1] ?? 'first-steps';
