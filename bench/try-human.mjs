import { execFileSync } from 'node:child_process'; import { readdirSync, statSync } from 'node:fs'; import { join } from 'node:path';
import { VoiceActivity, Ear, levelDb, seeded, percentile } from '@verbalon/core';
import { truthOf } from './dist/turns/voice.js'; import { scaledTo, white } from './dist/turns/noises.js';
const files=[]; (function walk(d){for(const n of readdirSync(d)){const p=join(d,n); statSync(p).isDirectory()?walk(p):/\.(ogg|wav)$/.test(n)&&files.push(p);}})('/tmp/kt/x');
const random=seeded(4); const pick=files.filter(()=>random()<0.12); let sp=0,mi=0,si=0,fa=0,none=0; const on=[]; const per={};
for (const f of pick) { let raw; try { raw=execFileSync('ffmpeg',['-v','error','-i',f,'-ac','1','-ar','16000','-f','s16le','-']);} catch { continue; }
 const x=new Float32Array(raw.length>>1); for(let i=0;i<x.length;i++)x[i]=raw.readInt16LE(2*i)/32768; const act=x.filter(v=>Math.abs(v)>0.02); if(act.length<2000) continue; const g=10**((-20-levelDb(act))/20);
 const clean=new Float32Array(x.length+16000*3); for(let i=0;i<x.length;i++)clean[16000+i]=x[i]*g; const noise=scaledTo(white(clean.length,random),-66); const mix=clean.map((v,i)=>v+noise[i]);
 const truth=truthOf(clean.map(v=>v*10**(-8/20)),200); const lang=f.split('/').at(-3); const a=new VoiceActivity(); let last=-1e9; (per[lang]??={s:0,m:0}); 
 truth.forEach((t,i)=>{const {voiced}=a.judge(mix.subarray(i*160,(i+1)*160)); if(t){sp++;per[lang].s++;last=i;if(!voiced){mi++;per[lang].m++;}} else if((i-last)>10){si++;if(voiced)fa++;}});
 const ear=new Ear(); let b=null; for(let at=0;at+320<=mix.length;at+=320) for(const e of ear.hear(mix.subarray(at,at+320))) if(e.kind==='voiceBegan'&&b===null)b=(at+320)/16; if(b===null)none++; else on.push(b-truth.indexOf(true)*10);
}
console.log('files',pick.length,'miss%',(100*mi/sp).toFixed(1),'fa%',(100*fa/si).toFixed(1),'not noticed',none,'onset p50/p95',percentile(on,.5),percentile(on,.95)); console.log(Object.entries(per).map(([k,v])=>k+' '+(100*v.m/v.s).toFixed(0)).join(', '));
