import { Speakers, callerTurns, conditionName } from './dist/turns/set.js';
import { Recogniser, hearAll } from './dist/turns/hear.js';
import { Project } from '@verbalon/service';
import { percentile, languageOf, ExpectedPhrases, weigh } from '@verbalon/core';
const s=new Speakers(); const turns=await callerTurns('tune',200,11,s); await s.close();
const a=new Project('demo').assistant('tansy'); const r=new Recogniser(a.profile); await r.warm();
const heard=await hearAll(r,turns); await r.close();
const L=languageOf('en'); const ex=new ExpectedPhrases(a.plan.expect);
const known=[], events=[]; let notKnown=0, tot=0;
for (const x of heard) { if (x.condition.noise==='babble') continue; const st=x.heard.stretches; if(!st.length) continue; const end=x.pieces.at(-1).toMs;
 const fin=st.map(q=>q.final.map(w=>w.word).join(' ')).filter(Boolean).join(' '); const last=st.at(-1); const before=st.slice(0,-1).map(q=>q.final.map(w=>w.word).join(' ')).filter(Boolean).join(' ');
 tot++; let k=null; let prev='';
 for (const p of last.partials){ const t=[before,p.words.map(w=>w.word).join(' ')].filter(Boolean).join(' '); const ok=t===fin; const words=t.split(' ');
  const sc=weigh({words:L.completeness(words,a.plan.names,''),expected:ex.match(words),ending:null,uncoveredMs:0}).score;
  events.push({rel:p.atMs-end,ok,sc,fit:ex.match(words),cond:x.condition.noise===null}); if(ok&&k===null)k=p.atMs-end; if(!ok)k=null; prev=t; }
 if(k===null) notKnown++; else known.push(k);
}
console.log({tot,notKnown,p10:percentile(known,.1),p50:percentile(known,.5),p90:percentile(known,.9)});
for (const c of [true,false]) for (const lo of [-1,-.5,0,.3,.6,.8]) { const e=events.filter(e=>e.cond===c&&e.sc>=lo&&e.sc<(lo===-1?-.5:lo===-.5?0:lo===0?.3:lo===.3?.6:lo===.6?.8:2)); const during=e.filter(e=>e.rel<0), after=e.filter(e=>e.rel>=0); console.log(c?'clean':'noisy','score>=',lo,'n',e.length,'during ok',during.length,during.filter(e=>e.ok).length,'after ok',after.length,after.filter(e=>e.ok).length); }
