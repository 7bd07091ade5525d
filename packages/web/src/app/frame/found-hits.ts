import type { Found } from '@versicle/contract';

/** Something that the finder leads to. */
export interface Hit {
  readonly what: string;
  readonly name: string;
  readonly note: string;
  readonly path: readonly string[];
  readonly query?: Readonly<Record<string, string>>;
  readonly fragment?: string;
}

const page = (name: string, path: string, what = 'page'): Hit => ({ what, name, note: '', path: [path] });
/** Pages, and what can be begun. */
export const PAGES: readonly Hit[] = [
  page($localize`Today`, '/today'),
  page($localize`Systems`, '/systems'),
  page($localize`Mappings`, '/mappings'),
  page($localize`New mapping`, '/mappings/new', 'command'),
  page($localize`New mapping from a spreadsheet`, '/mappings/new/spreadsheet', 'command'),
  page($localize`All lines`, '/mappings/all/lines'),
  page($localize`What awaits whom`, '/mappings/all/awaiting'),
  page($localize`Plans`, '/plans'),
  page($localize`Runs`, '/runs'),
  page($localize`Failed records`, '/failures'),
  page($localize`Code tables`, '/codes'),
  page($localize`Settings: API keys`, '/settings'),
  page($localize`Help`, '/help'),
];

/** Where something that the server found is looked at. */
export function hitOf({ what, id, of, system, name, note }: Found): Hit {
  const to = (path: string[], query?: Record<string, string>): Hit => ({
    what,
    name,
    note,
    path,
    ...(query ? { query } : {}),
  });
  switch (what) {
    case 'mapping':
      return to(['/mappings', id]);
    case 'line':
      return to(['/mappings', of!], { line: id });
    case 'system':
      return to(['/systems', id]);
    case 'dataset':
      return to(['/systems', of!, 'dataset'], { name: id });
    case 'field':
      return to(['/systems', system!, 'dataset'], { name: of!, tab: 'structure' });
    case 'plan':
      return to(['/plans'], { start: id });
    case 'run':
      return to(['/runs', id]);
    case 'code table':
      return to(['/codes', id]);
    case 'failed record':
      return to(['/failures'], { state: 'any', mapping: of!, record: id });
  }
}
