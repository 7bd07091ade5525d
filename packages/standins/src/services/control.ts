import { setFaults, type Trouble } from './faults.ts';
import { json, Service, type Reply } from './service.ts';
import type { NoticeSettings, SignUps } from './sign-ups.ts';

/** What can be told to misbehave. */
export interface Troubled {
  readonly name: string;
  readonly trouble: Trouble;
}

/**
 * `GET /services`, `PUT /services/:name` with faults: makes the stand-ins slow, refuse, reject or limit; `PUT /sign-ups` says
 * where notices go, `POST /sign-ups` sends some; a page for people.
 */
export function control(services: readonly Troubled[], signUps: SignUps): Service {
  return new Service('control', async ({ method, path, body }): Promise<Reply> => {
    if (path === '/sign-ups') return notices(signUps, method, json(body));
    const state = (s: Troubled): object => ({ name: s.name, requests: s.trouble.requests, faults: s.trouble.faults });
    if (path === '/services') return { status: 200, body: services.map(state) };
    const name = /^\/services\/([a-z]+)$/.exec(path)?.[1];
    if (name === undefined) return { status: 200, headers: { 'Content-Type': 'text/html; charset=utf-8' }, body: PAGE };
    const service = services.find((s) => s.name === name);
    if (!service) return { status: 404, body: { error: `There is no service ${name}.` } };
    if (method === 'PUT') {
      const wanted = json(body);
      const wrong = wanted === null ? 'Send faults as JSON.' : setFaults(service.trouble.faults, wanted as never);
      if (wrong !== null) return { status: 400, body: { error: wrong } };
    }
    return { status: 200, body: state(service) };
  });
}

async function notices(signUps: SignUps, method: string, wanted: unknown): Promise<Reply> {
  const asked = (wanted ?? {}) as Partial<NoticeSettings> & { readonly count?: number };
  if (method === 'POST') return { status: 200, body: { taken: await signUps.send(Math.min(1000, asked.count ?? 1)) } };
  const { to, secret, everySeconds = 0 } = asked;
  if (method !== 'PUT' || to === undefined || secret === undefined)
    return { status: 400, body: { error: 'Send to, secret and everySeconds as JSON.' } };
  try {
    signUps.set({ to, secret, everySeconds });
    return { status: 200, body: { to, everySeconds } };
  } catch (error) {
    return { status: 400, body: { error: (error as Error).message } };
  }
}

const PAGE = `<!doctype html><html lang="en"><meta charset="utf-8"><title>Practice: how the other systems behave</title>
<style>body{font:16px/1.5 sans-serif;max-width:860px;margin:32px auto;padding:0 16px}table{border-collapse:collapse}td,th{padding:4px 12px 4px 0;text-align:left}input{width:90px}</style>
<h1>How the other systems behave</h1><p>Numbers of 0 mean: not at all. Changes count at once.</p><div id="list"></div>
<script>
const list=document.getElementById('list');
async function show(){const all=await(await fetch('/services')).json();list.replaceChildren(...all.map(s=>{const d=document.createElement('section');
d.innerHTML='<h2></h2><table></table>';d.firstChild.textContent=s.name+' ('+s.requests+' requests)';
for(const[k,v]of Object.entries(s.faults)){const r=d.lastChild.insertRow();r.insertCell().textContent=k;const i=document.createElement('input');i.value=v===null?'':v;i.setAttribute('aria-label',s.name+' '+k);
i.onchange=async()=>{const t=i.value.trim();const w=k==='lockedOut'?t==='true':t===''?(k==='status'?null:0):Number(t);await fetch('/services/'+s.name,{method:'PUT',body:JSON.stringify({[k]:w})});show()};r.insertCell().append(i)}
return d}))}show();
</script></html>`;
