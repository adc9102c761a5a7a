import { Speakers, callerTurns, conditionName } from './dist/turns/set.js';
import { Recogniser, hearAll } from './dist/turns/hear.js';
import { ourWay, fixedWay, summary, percentOf } from './dist/turns/judge.js';
import { Project } from '@verbalon/service';
import { percentile } from '@verbalon/core';
const half=process.argv[2]??'tune', n=+(process.argv[3]??200), show=process.argv[4];
import { readFileSync } from "node:fs";
let t=Date.now(); const {plan,heard}=JSON.parse(readFileSync(`/tmp/heard-${half}.json`,"utf8")); const a={plan};
const base={...a.plan,greeting:'',manners:{...a.plan.manners,first:'caller',firstWordMs:0}};
const ours=(over,tr=(x)=>x)=>heard.map(x=>ourWay(tr(x),{...base,...over.plan,manners:{...base.manners,...over}}));
const rows=[];
for (const w of [500,700,900]) rows.push({way:'fixed '+w,...summary(heard.map(x=>fixedWay(x,w)))});
let main;
for (const l of (process.env.L??"500,600").split(",").map(Number)) { const res=ours({leewayMs:l}); if(l===600) main=res; const g=res.flatMap(x=>x.gapMs===null?[]:[x.gapMs]), og=res.flatMap(x=>x.ownGapMs===null?[]:[x.ownGapMs]); rows.push({way:'ours '+l,...summary(res),aloud:percentOf(res.filter(x=>x.cutOffAloud).length,res.length),gap50:Math.round(percentile(g,.5)),gap95:Math.round(percentile(g,.95)),own95:Math.round(percentile(og,.95)),kept:percentOf(res.filter(x=>x.kept).length,res.length),wasted:percentOf(res.reduce((q,x)=>q+x.headStarts-(x.kept?1:0),0),res.reduce((q,x)=>q+x.headStarts,0))}); }
const noMel=heard.map(x=>({...x,heard:{...x.heard,events:x.heard.events.map(e=>e.event.kind==='voicePaused'?{...e,event:{...e.event,ending:{moveSt:null,placeSt:null,dropDb:0}}}:e)}}));
rows.push({way:'ours no melody',...summary(noMel.map(x=>ourWay(x,base)))});
rows.push({way:'ours no expect',...summary(ours({plan:{expect:{phrases:[]}}}))});
console.table(rows);
const by={}; heard.forEach((x,i)=>{for (const k of ['kind '+x.kind, conditionName(x.condition)]) (by[k]??=[]).push(main[i]);});
console.table(Object.entries(by).map(([k,v])=>({k,...summary(v), gap50:Math.round(percentile(v.flatMap(x=>x.gapMs??[]),.5))})));
const audio=heard.reduce((q,x)=>q+x.heard.lengthMs,0); const cpu=main.reduce((q,x)=>q+x.conductorMs,0); console.log('conductor × real time', Math.round(audio/cpu), 'play all s', (Date.now()-t)/1000);
if (show) heard.forEach((x,i)=>{const m=main[i]; if ((show==='cut'&&m.cutOff)||(show==='slow'&&m.waitMs>700&&!m.cutOff)||(show==='un'&&m.waitMs===null)||(show==='all')) console.log(x.kind,'|',conditionName(x.condition),'|',x.text,'|',JSON.stringify(x.pauses.map(p=>[p.afterWord,p.ms])),'| heard:',x.heard.stretches.map(q=>q.final.map(w=>w.word).join(' ')).join(' // '),'| wait',m.waitMs&&Math.round(m.waitMs),'gap',m.gapMs&&Math.round(m.gapMs),m.reason,'hs',m.headStarts,m.kept);});
import { playTalk } from './dist/turns/play.js';
const hs={}; for (const x of heard) { const {orders}=playTalk({...base},x.heard); const th=orders.filter(o=>o.order.kind==='think'&&o.order.reason.startsWith('head start')); for (const h of th) { const drop=orders.find(o=>o.order.kind==='dropThought'&&o.order.thought===h.order.thought); const lastPause=x.heard.events.filter(e=>e.atMs<=h.atMs).at(-1); const lived=drop?Math.round((drop.atMs-h.atMs)/40)*40:0; const paused=lastPause&&(lastPause.event.kind==='voicePaused'||lastPause.event.kind==='voiceEnded'); const since=paused?Math.round((h.atMs-lastPause.event.atMs)/50)*50:-1; const k=(x.condition.noise===null?'CLEAN ':'noisy ')+(paused?'pause '+since:'speaking')+' '+h.order.reason.replace(/"[^"]*"/,'Q').slice(12,60); (hs[k]??=[0,0,[]]); hs[k][drop?1:0]++; if(drop)hs[k][2].push(lived); } }
console.log(Object.entries(hs).sort((a,b)=>(b[1][0]+b[1][1])-(a[1][0]+a[1][1])).slice(0,16).map(([k,v])=>k+': kept '+v[0]+' dropped '+v[1]+' '+v[2].sort((a,b)=>a-b).join(',')).join('\n'));
