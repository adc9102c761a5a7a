import { Speakers, callerTurns } from './dist/turns/set.js';
import { Recogniser, hearAll } from './dist/turns/hear.js';
import { Project } from '@verbalon/service';
import { wordErrors, comparableWords } from '@verbalon/core';
const s=new Speakers(); let turns=(await callerTurns('tune',200,11,s)).filter(t=>t.condition.noise===null||t.condition.snrDb===20); await s.close();
const a=new Project('demo').assistant('tansy'); const r=new Recogniser(a.profile);
if (process.argv[2]) { r.file='/tmp/heard-'+process.argv[2]+'.json'; r.known={}; }
await r.warm(); let t0=Date.now();
const heard=await hearAll(r,turns); await r.close(); console.log('took',Date.now()-t0);
let e=0,n=0,same=0,tot=0; for (const x of heard) { const f=x.heard.stretches.map(q=>q.final.map(w=>w.word).join(' ')).join(' '); const w=wordErrors(comparableWords(x.text),comparableWords(f)); e+=w.substituted+w.deleted+w.inserted; n+=w.words;
 for (const st of x.heard.stretches) { if(!st.final.length) continue; tot++; if ((st.partials.at(-1)?.words??[]).map(w=>w.word).join(' ')===st.final.map(w=>w.word).join(' ')) same++; } }
console.log('word errors',(100*e/n).toFixed(1),'partial==final',(100*same/tot).toFixed(1), tot);
