import { Speakers, callerTurns } from '/work/main/bench/dist/turns/set.js';
import * as v from '/work/main/bench/dist/turns/voice.js';
import { Ear, toFloats } from '@verbalon/core';
const s = new Speakers();
let t=Date.now();
if (process.argv[2]==='train') { await v.voiceWeights(s); console.log('trained', Date.now()-t); process.exit(0); }
const turns = await callerTurns(process.argv[3]??'report', 200, 5, s);
console.log('made', Date.now()-t, turns.reduce((a,x)=>a+x.samples.length/16000,0)); t=Date.now();
console.table(v.voiceActivityOf(turns, 9));
console.log('judged', Date.now()-t);
const on={}, off={}; 
for (const turn of turns) { const c=turn.condition; const n=(c.noise??'clean')+(c.snrDb??c.rateHz);
 const ear=new Ear(); const x=toFloats(turn.samples); let began=null, ended=null;
 for (let at=0; at+160<=x.length; at+=160) for (const e of ear.hear(x.subarray(at,at+160))) { if (e.kind==='voiceBegan' && began===null && at/16>turn.pieces[0].fromMs-50) began=(at+160)/16; if (e.kind==='voicePaused') ended=e.atMs; }
 (on[n]??=[]).push(began===null?9999:began-turn.pieces[0].fromMs); (off[n]??=[]).push(ended===null?9999:ended-turn.pieces.at(-1).toMs);
}
const q=(a,p)=>{a=[...a].sort((x,y)=>x-y);return Math.round(a[Math.min(a.length-1,Math.floor(p*a.length))]);};
console.table(Object.fromEntries(Object.keys(on).map(k=>[k,{n:on[k].length,on50:q(on[k],.5),on95:q(on[k],.95),off5:q(off[k],.05),off50:q(off[k],.5),off95:q(off[k],.95)}])));
await s.close();
