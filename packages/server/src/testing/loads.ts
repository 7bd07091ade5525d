import type { RunDetail } from '@versicle/contract';
import { itemsDocument, type RunningServer } from './running-server.ts';

/** A mapping of a file of its own into a table of its own, and a plan that loads it. */
export interface Made {
  readonly mapping: string;
  readonly plan: string;
  readonly file: string;
  readonly table: string;
  readonly document: Record<string, unknown>;
}

/** Makes mappings with plans on a server that is connected. */
export class Loads {
  private made = 0;

  constructor(private readonly server: () => RunningServer) {}

  /** `step`: entries of the plan's only step; `patch`: of the mapping's document; `more`: of the plan. */
  async make(step: object, patch: Record<string, unknown> = {}, more: object = {}): Promise<Made> {
    const n = ++this.made;
    const [file, table] = [`loaded${n}.csv`, `loaded${n}`];
    const base = itemsDocument(file);
    const target = { ...(base['target'] as object), dataset: `store/${table}`, ...(patch['target'] as object) };
    const document = { ...base, name: `Loads ${n}`, ...patch, target };
    this.server().file(file, 'no,name,price\n');
    const { mapping } = await this.server().mapping(document);
    const plan = await this.planOf(mapping, step, more);
    return { mapping, plan, file, table, document };
  }
  async planOf(mapping: string, step: object, more: object = {}): Promise<string> {
    return this.plan([{ id: 'load', kind: 'mapping', mapping, ...step }], more);
  }
  async plan(steps: readonly object[], more: object = {}): Promise<string> {
    const document = { versicle: 1, kind: 'plan', name: `Plan ${++this.made}`, steps, ...more };
    return (await this.server().api('createPlan', 'POST', '/plans', { document })).id;
  }
  /** Carries out a statement in the store. */
  async statement(sql: string): Promise<void> {
    const plan = await this.plan([{ id: 'a', kind: 'sql', system: 'store', sql }]);
    const { error } = await this.server().run(plan);
    if (error !== null) throw new Error(error);
  }
  /** The document of a mapping takes another form, and is published. */
  async publish(mapping: string, document: object): Promise<void> {
    const server = this.server();
    const { version } = await server.api('getMapping', 'GET', `/mappings/${mapping}`);
    await server.api('saveDraft', 'PUT', `/mappings/${mapping}/draft`, { document, version } as never);
    await server.api('publish', 'POST', `/mappings/${mapping}/publish`, {});
  }
}

export const csv = (...rows: string[]): string => `${['no,name,price', ...rows].join('\n')}\n`;
/** The counts of a run that has to be finished. */
export const counts = ({
  state,
  error,
  counts: { read, unchanged, failed, delivered, filtered },
}: RunDetail): object => {
  if (state !== 'finished') throw new Error(`${state}: ${error}`);
  return { read, unchanged, failed, delivered, filtered };
};
