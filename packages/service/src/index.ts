export { serve, type Service, type ServeOptions } from './serve.js';
export { EngineSet } from './engine-set.js';
export { Project } from './project/project.js';
export { Talk } from './talk/talk.js';
export { FILE_SCHEMAS, publishedSchema } from './http/schemas.js';
