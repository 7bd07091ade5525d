import type { PresentPerson } from '@versicle/contract';
import type { Events } from '../http/events.ts';

/** A page that says nothing for so long is taken for closed. */
const SILENT = 30_000;

interface Seen extends PresentPerson {
  readonly at: number;
}

/** Who has which sheet open, as the pages themselves say every few seconds. */
export class Presence {
  private readonly open = new Map<string, Map<string, Seen>>();

  constructor(private readonly events: Events) {}

  /** Gives everybody who is there. */
  here(mapping: string, person: PresentPerson, left: boolean): PresentPerson[] {
    const pages = this.open.get(mapping) ?? new Map<string, Seen>();
    const before = JSON.stringify(this.people(pages));
    const now = Date.now();
    for (const [page, seen] of pages) if (now - seen.at > SILENT) pages.delete(page);
    if (left) pages.delete(person.page);
    else pages.set(person.page, { ...person, at: now });
    if (pages.size === 0) this.open.delete(mapping);
    else this.open.set(mapping, pages);
    const people = this.people(pages);
    if (JSON.stringify(people) !== before) this.events.send({ type: 'present', mapping, people });
    return people;
  }
  private people(pages: ReadonlyMap<string, Seen>): PresentPerson[] {
    return [...pages.values()].map(({ page, person, line }) => ({ page, person, line }));
  }
}
