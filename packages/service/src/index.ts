export { DEFAULT_PORT, serve, type Service, type ServeOptions } from './serve.js';
export { EngineSet } from './engine-set.js';
export { isProblemCode, PROBLEMS, ProblemError } from './problems.js';
export { Talk } from './talk/talk.js';
export { FILE_SCHEMAS, publishedSchema } from './http/schemas.js';
