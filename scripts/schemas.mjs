/**
 * `npm run schemas`: writes the JSON Schemas of the files to docs/schemas, for editors; a test sees that they
 * are current.
 */
import { mkdirSync, writeFileSync } from 'node:fs';
import { FILE_SCHEMAS, publishedSchema } from '@verbalon/service';

mkdirSync('docs/schemas', { recursive: true });
for (const name of Object.keys(FILE_SCHEMAS)) {
  writeFileSync(`docs/schemas/${name}.json`, `${JSON.stringify(publishedSchema(name), null, 2)}\n`);
}
