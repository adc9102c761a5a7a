/** JSON Schemas of the files that a developer writes, for editors that complete and check. */
import {
  AnswersFile,
  AssistantFile,
  ContactsFile,
  EngineCard,
  ErrandFile,
  ProjectFile,
} from '@verbalon/protocol';

export const FILE_SCHEMAS = {
  project: ProjectFile,
  assistant: AssistantFile,
  engine: EngineCard,
  answers: AnswersFile,
  errand: ErrandFile,
  contacts: ContactsFile,
};

/** As it is served and stands in docs/schemas; null for a name that is none. */
export function publishedSchema(name: string): object | null {
  if (!Object.hasOwn(FILE_SCHEMAS, name)) return null;
  const schema: object = FILE_SCHEMAS[name as keyof typeof FILE_SCHEMAS];
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: `${name}.yaml of Verbalon`,
    ...schema,
  };
}
