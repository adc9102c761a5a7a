import { Speakers, callerTurns } from './dist/turns/set.js';
import { Recogniser, hearAll } from './dist/turns/hear.js';
import { Project } from '@verbalon/service';
import { writeFileSync } from 'node:fs';
const half=process.argv[2], n=+process.argv[3];
const s=new Speakers(); const turns=await callerTurns(half,n,half==='tune'?11:12,s); await s.close();
const a=new Project('demo').assistant('tansy'); const r=new Recogniser(a.profile); await r.warm();
const heard=await hearAll(r,turns); await r.close();
writeFileSync(`/tmp/heard-${half}.json`,JSON.stringify({plan:a.plan,heard:heard.map(({samples,clean,...x})=>x)})); process.exit(0);
