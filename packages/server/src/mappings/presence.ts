import type { PresentPerson } from '@versicle/contract';
import type { Events } from '../http/events.ts';
import { Peers } from '../workers/peers.ts';

/** A page that says nothing for so long is taken for closed. */
const SILENT = 30_000;

interface Seen extends PresentPerson {
  readonly at: number;
}

/** Who has which sheet open, as the pages themselves say every few seconds. */
export class Presence {
  private readonly open = new Map<string, Map<string, Seen>>();

  constructor(
    private readonly events: Events,
    private readonly peers: Peers = Peers.none(),
  ) {
    // Each process knows of everybody, and tells its own pages.
    peers.on('here', ({ mapping, person, left }) => void this.heard(mapping, person, left));
  }

  /** Gives everybody who is there. */
  here(mapping: string, person: PresentPerson, left: boolean): PresentPerson[] {
    this.peers.tell({ kind: 'here', mapping, person, left });
    return this.heard(mapping, person, left);
  }
  private heard(mapping: string, person: PresentPerson, left: boolean): PresentPerson[] {
    const pages = this.open.get(mapping) ?? new Map<string, Seen>();
    const before = JSON.stringify(this.people(pages));
    const now = Date.now();
    for (const [page, seen] of pages) if (now - seen.at > SILENT) pages.delete(page);
    if (left) pages.delete(person.page);
    else pages.set(person.page, { ...person, at: now });
    if (pages.size === 0) this.open.delete(mapping);
    else this.open.set(mapping, pages);
    const people = this.people(pages);
    if (JSON.stringify(people) !== before) this.events.sendHere({ type: 'present', mapping, people });
    return people;
  }
  private people(pages: ReadonlyMap<string, Seen>): PresentPerson[] {
    return [...pages.values()].map(({ page, person, line }) => ({ page, person, line }));
  }
}
