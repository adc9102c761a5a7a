import { Speakers } from './dist/turns/set.js';
import { Recogniser } from './dist/turns/hear.js';
import * as o from './dist/turns/overlaps.js';
import { Project } from '@verbalon/service';
import { percentile } from '@verbalon/core';
const half=process.argv[2]??'tune', n=+(process.argv[3]??60), kinds=(process.argv[4]??'interruption,nod,cough or knock,echo').split(','); const show=process.argv[5];
const a=new Project('demo').assistant('tansy'); const r=new Recogniser(a.profile); await r.warm(); const s=new Speakers(); const plan=o.planFor(a.plan);
for (const kind of kinds) { const t=Date.now();
 const {cases,voice}= kind==='echo'? await o.echoOnly(+(process.env.MIN??3),-12,31,s): await o.overlapping(kind,half,n,30,s);
 const res=[]; for (const c of cases) { const heard=await o.hearOver(c,r); const j=o.judgeCase(c,heard,plan,voice); res.push({c,heard,j}); }
 const q=(v,p)=>v.length?Math.round(percentile(v,p)):null;
 const duck=res.flatMap(({c,j})=>j.duckMs===null?[]:[j.duckMs-c.atMs]), hush=res.flatMap(({c,j})=>j.hushMs===null?[]:[j.hushMs-c.atMs]);
 console.log(kind,'n',res.length,'hushed',hush.length,'early hush',res.filter(({c,j})=>j.hushMs!==null&&j.hushMs<c.atMs).length,'ducks',res.reduce((q,x)=>q+x.j.ducks,0),'early ducks',res.filter(({c,j})=>j.played.orders.some(x=>x.order.kind==='duck'&&x.atMs<c.atMs)).length,'duck p50/95',q(duck,.5),q(duck,.95),'hush p50/95',q(hush,.5),q(hush,.95),'resumed',res.filter(x=>x.j.resumedMs!==null).length, 'ms',Date.now()-t);
 const byText={}; for (const {c,j,heard} of res) { const bad=kind==='interruption'?j.hushMs===null:j.hushMs!==null; const k=c.text+(show?(c.echoDb===null?' -':' e'):''); (byText[k]??=[0,0,[]])[0]++; if(bad){byText[k][1]++; byText[k][2].push((c.echoDb===null?'dry':Math.round(c.echoDb)+'dB')+':'+heard.stretches.filter(x=>x.toMs>c.atMs).map(x=>x.final.map(w=>w.word).join(' ')).join('/')+(j.hushReason?'('+j.hushReason.slice(0,50)+' '+Math.round(j.hushMs-c.atMs)+')':''));} }
 for (const [k,v] of Object.entries(byText)) if (v[1]) console.log('   ',k,v[0],'bad',v[1],v[2].slice(0,6).join(' | '));
}
await r.close(); await s.close(); process.exit(0);
