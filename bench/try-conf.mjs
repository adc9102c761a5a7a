import { readFileSync } from 'node:fs';
import { wordErrors, comparableWords, errorRate, ExpectedPhrases } from '@verbalon/core';
const {plan,heard}=JSON.parse(readFileSync('/tmp/heard-tune.json','utf8')); const ex=new ExpectedPhrases(plan.expect);
let fit=0; const rows=[];
for (const x of heard) { const words=comparableWords(x.text); const f=ex.match(words); if (f?.whole) fit++; const said=x.heard.stretches.flatMap(q=>q.final); if(!said.length) continue; const e=errorRate(wordErrors(words,comparableWords(said.map(w=>w.word).join(' ')))); const conf=said.reduce((a,w)=>a+(w.confidence??1),0)/said.length; const min=Math.min(...said.map(w=>w.confidence??1)); rows.push({e,conf,min,noise:x.condition.noise}); }
console.log('true text fits expected', fit/heard.length);
for (const [lo,hi] of [[0,.5],[.5,.7],[.7,.8],[.8,.9],[.9,.95],[.95,1.01]]) { const r=rows.filter(x=>x.conf>=lo&&x.conf<hi); console.log(lo, r.length, 'mean WER', (r.reduce((a,x)=>a+x.e,0)/r.length).toFixed(2),'perfect',(r.filter(x=>x.e===0).length/r.length).toFixed(2)); }
