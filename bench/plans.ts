import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder } from './data.ts';
import { idleShare } from './process.ts';
import { benchServer } from './server.ts';

/** What 500 plans cost a server that has nothing to do, and how 200 plans that are due in one minute begin. */

const IDLE_PLANS = 500;
const DUE_PLANS = 200;
const IDLE_SECONDS = 30;
mkdirSync(folder, { recursive: true });
const home = mkdtempSync(join(folder, 'plans-'));
writeFileSync(join(home, 'items.csv'), 'no,name\n1,Bell\n2,Lamp\n');
const { call, stop, pid } = await benchServer(join(home, 'data'));
await call('POST', '/systems', { id: 'files', name: 'Files', connection: { kind: 'folder', root: home } });
await call('POST', '/systems', { id: 'store', name: 'Store', connection: { kind: 'embedded', name: 'store' } });
const { id: mapping } = await call('POST', '/mappings', {
  document: {
    versicle: 1,
    name: 'Items',
    source: { primary: { alias: 'i', dataset: 'files/items.csv' } },
    target: {
      dataset: 'store/item',
      key: ['no'],
      fields: ['no', 'name'].map((name) => ({ name, type: 'text', nullable: name !== 'no' })),
    },
    lines: ['no', 'name'].map((name) => ({ id: name, target: name, kind: 'straight', source: `i.${name}` })),
    write: { mode: 'upsert', existing: 'overwrite' },
  },
});
await call('POST', `/mappings/${mapping}/publish`, {});
const plan = async (name: string, cron: string): Promise<string> => {
  const document = {
    versicle: 1,
    kind: 'plan',
    name,
    triggers: [{ id: 't', kind: 'schedule', cron, zone: 'Europe/London' }],
    steps: [{ id: 'a', kind: 'mapping', mapping }],
  };
  const made: { readonly id?: string } = await call('POST', '/plans', { document });
  return made.id!;
};

for (let i = 0; i < IDLE_PLANS; i++) await plan(`Idle ${i}`, `${i % 60} ${i % 24} 29 2 *`);
await new Promise((resolve) => setTimeout(resolve, 5000));
console.log(`${IDLE_PLANS} plans, none due: ${(await idleShare(pid, IDLE_SECONDS)).toFixed(2)} % of one core`);

const inMinutes = new Date(Date.now() + 90_000);
const minute = new Intl.DateTimeFormat('en-GB', { timeZone: 'Europe/London', hour: '2-digit', minute: '2-digit' })
  .format(inMinutes)
  .split(':')
  .map(Number);
const ids: string[] = [];
for (let i = 0; i < DUE_PLANS; i++) ids.push(await plan(`Due ${i}`, `${minute[1]} ${minute[0]} * * *`));
const due = new Date(inMinutes);
due.setUTCSeconds(0, 0);
await new Promise((resolve) => setTimeout(resolve, due.getTime() - Date.now()));
let made = 0;
const answers: number[] = [];
while (Date.now() < due.getTime() + 60_000 && made < DUE_PLANS) {
  const began = performance.now();
  const runs = (await call('GET', '/runs?limit=500')) as unknown as { plan: string }[];
  answers.push(performance.now() - began);
  made = new Set(runs.map((r) => r.plan).filter((id) => ids.includes(id))).size;
  await new Promise((resolve) => setTimeout(resolve, 100));
}
answers.sort((a, b) => a - b);
console.log(
  `${made} of ${DUE_PLANS} plans that were due in one minute had their run ${((Date.now() - due.getTime()) / 1000).toFixed(1)} s after it began; GET /runs meanwhile: median ${answers[answers.length >> 1]!.toFixed(0)} ms, p99 ${answers[Math.floor(answers.length * 0.99)]!.toFixed(0)} ms`,
);
await stop();
rmSync(home, { recursive: true, force: true });
