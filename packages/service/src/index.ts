export { serve, type Service, type ServeOptions } from './serve.js';
export { EngineSet } from './engines/engine-set.js';
export { Project } from './project/project.js';
export { Talk } from './talk/talk.js';
export { OwnStages } from './stages/own-stages.js';
export { PhraseStore } from './talk/phrase-store.js';
export { Spending } from './talk/spending.js';
export { FILE_SCHEMAS, publishedSchema } from './http/schemas.js';
export { StageWorkers } from './stages/workers.js';
