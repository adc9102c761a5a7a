import { Speakers } from './dist/turns/set.js';
import * as o from './dist/turns/overlaps.js';
import { earEvents } from './dist/turns/hear.js';
import { Ear, toFloats } from '@verbalon/core';
import { writeFileSync, readFileSync, existsSync } from 'node:fs';
import { serialize, deserialize } from 'node:v8';
let sets; const f='/tmp/guardset.bin';
if (existsSync(f)) sets=deserialize(readFileSync(f)); else { const s=new Speakers(); sets={int:(await o.overlapping('interruption','tune',90,30,s)).cases, echo:(await o.echoOnly(4,-12,31,s)).cases, loud:(await o.echoOnly(2,-6,32,s)).cases}; await s.close(); writeFileSync(f,serialize(sets)); }
const run=(c)=>{const ear=new Ear(); let at=0; return earEvents(c.samples,(p)=>{const own=toFloats(c.own.subarray(at,at+p.length)); at+=p.length; return ear.hear(p,own);});};
const falses=(k)=>sets[k].reduce((q,c)=>q+run(c).filter(e=>e.event.kind==='voiceBegan').length,0);
const b={}; for (const c of sets.int) { const ev=run(c); const k=c.echoDb===null?'dry':c.echoDb>-10?'-6..-10':c.echoDb>-15?'-10..-15':'-15..-20'; (b[k]??={n:0,none:0,late:0,voiced:0,early:0}); b[k].n++; const on=ev.find(e=>e.event.kind==='voiceBegan'&&e.atMs>=c.atMs); if(ev.some(e=>e.event.kind==='voiceBegan'&&e.atMs<c.atMs))b[k].early++; if(!on||on.atMs>c.toMs)b[k].none++; else if(on.atMs-c.atMs>200)b[k].late++; const v=ev.filter(e=>e.event.kind==='voiceEnded'&&e.atMs>c.atMs&&e.atMs<c.toMs+600).reduce((q,e)=>q+e.event.voicedMs,0); b[k].voiced+=v/(c.toMs-c.atMs); }
console.log(process.argv[2]??'', 'false -12dB/4min',falses('echo'),'-6dB/2min',falses('loud'), Object.entries(b).map(([k,v])=>`${k}: n ${v.n} none ${v.none} late ${v.late} early ${v.early} voiced ${(v.voiced/v.n).toFixed(2)}`).join(' | '));
process.exit(0);
