import type { ApiKeys } from './api-keys/api-keys.ts';
import type { Engine } from './engine/engine.ts';
import type { Senders } from './engine/lanes/queue/senders.ts';
import type { Failures } from './failures/failures.ts';
import type { Events } from './http/events.ts';
import type { Codes } from './codes/codes.ts';
import type { KeyMaps } from './key-maps/key-maps.ts';
import type { Filters } from './filters/filters.ts';
import type { Foreign } from './foreign/foreign.ts';
import type { Mappings } from './mappings/mappings.ts';
import type { Workbooks } from './mappings/workbooks.ts';
import type { Conductor } from './plans/conductor.ts';
import type { Plans } from './plans/plan-store.ts';
import type { Starter } from './plans/starter.ts';
import type { Profiles } from './profiles/profiles.ts';
import type { Structures } from './structures/structures.ts';
import type { SourceSets } from './source-sets/source-sets.ts';
import type { Starters } from './starters/starters.ts';
import type { Database } from '@versicle/postgres';
import type { SignIn } from './systems/sign-in.ts';
import type { Systems } from './systems/systems.ts';
import type { Trials } from './trials/trials.ts';

/** What the requests work with; made once in main.ts. */
export interface Services {
  readonly db: Database;
  readonly systems: Systems;
  readonly signIn: SignIn;
  readonly profiles: Profiles;
  readonly structures: Structures;
  readonly sourceSets: SourceSets;
  readonly codes: Codes;
  readonly keyMaps: KeyMaps;
  readonly starters: Starters;
  readonly filters: Filters;
  readonly foreign: Foreign;
  readonly mappings: Mappings;
  readonly workbooks: Workbooks;
  readonly trials: Trials;
  readonly apiKeys: ApiKeys;
  readonly plans: Plans;
  readonly starter: Starter;
  readonly conductor: Conductor;
  readonly failures: Failures;
  readonly engine: Engine;
  readonly senders: Senders;
  readonly events: Events;
}
