import { join } from 'node:path';
import { DatabaseService } from '../databases/database.ts';
import { ledger, warehouse } from '../databases/worlds.ts';
import { control } from './control.ts';
import { docks } from './docks.ts';
import { Inbox } from './inbox.ts';
import { Membership } from './membership.ts';
import { SignUps } from './sign-ups.ts';
import { translator } from './translator.ts';
import { workshop } from './workshop.ts';

/** Where each stand-in listens; all on 127.0.0.1. */
export interface Ports {
  readonly control: number;
  readonly membership: number;
  readonly docks: number;
  readonly workshop: number;
  readonly translator: number;
  readonly inbox: number;
  readonly smtp: number;
  readonly ledger: number;
  readonly warehouse: number;
}
export interface Services {
  readonly ports: Ports;
  readonly membership: Membership;
  readonly inbox: Inbox;
  close(): Promise<void>;
}

/** Starts all simulated systems in this process; from `first` upwards, or wherever there is room when it is 0. */
export async function startServices(
  first: number,
  members?: number,
  template: string | null = null,
  /** Where the databases stay; null: they end with this process. */
  home: string | null = null,
): Promise<Services> {
  const membership = new Membership(members);
  const inbox = new Inbox();
  const plain = [docks(), workshop(), translator()] as const;
  const databases = [ledger(), warehouse()].map(
    (world) => new DatabaseService(world, template, home === null ? null : join(home, world.name)),
  );
  const signUps = new SignUps();
  const controls = control([membership.service, ...plain, inbox.service, ...databases], signUps);
  const at = (offset: number): number => (first === 0 ? 0 : first + offset);
  const ports: Ports = {
    control: await controls.listen(at(0)),
    membership: await membership.service.listen(at(1)),
    docks: await plain[0].listen(at(2)),
    workshop: await plain[1].listen(at(3)),
    translator: await plain[2].listen(at(4)),
    inbox: await inbox.service.listen(at(5)),
    smtp: await inbox.listenForMail(at(6)),
    ledger: await databases[0]!.listen(at(7)),
    warehouse: await databases[1]!.listen(at(8)),
  };
  return {
    ports,
    membership,
    inbox,
    close: async () => {
      signUps.close();
      await inbox.close();
      for (const s of [controls, membership.service, ...plain, ...databases]) await s.close();
    },
  };
}
