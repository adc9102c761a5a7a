/** The documents of the HTTP interface (OpenAPI) and of the talk socket (AsyncAPI), for reading. */
import { Notice } from '../shared/notice.js';
import { http, useLoaded } from '../shared/use-loaded.js';

interface Operation {
  operationId: string;
  summary: string;
  parameters: {
    name: string;
    in: string;
    example?: unknown;
    schema: { anyOf?: { const?: unknown }[]; type?: string };
  }[];
  requestBody?: { content: Record<string, { example?: unknown }> };
  /** 204: an answer without a text. */
  responses: { 200?: { content: Record<string, unknown> } };
  'x-example': { sound?: string };
}
interface OpenApi {
  paths: Record<string, Record<string, Operation>>;
}
interface Message {
  name: string;
  title: string;
  summary?: string;
  examples?: { payload: unknown }[];
}
interface AsyncApi {
  info: { description: string };
  components: { messages: Record<string, Message> };
}

const SCHEMAS = ['project', 'assistant', 'engine', 'answers'];

export function InterfacePage() {
  const read = () => Promise.all([http.openApi() as Promise<OpenApi>, http.asyncApi() as Promise<AsyncApi>]);
  const { value, trouble } = useLoaded(read, 'interface', null);
  return (
    <main className="grow min-w-0 p-4 flex flex-col gap-4">
      <h1 className="text-xl font-bold">Interface</h1>
      {trouble && <Notice trouble={trouble} />}
      <p>
        Documents: <Json path="/v1/openapi.json" words="OpenAPI 3.1" />,{' '}
        <Json path="/v1/asyncapi.json" words="AsyncAPI 3" />. JSON Schemas of the files:{' '}
        {SCHEMAS.map((name, i) => (
          <span key={name}>
            {i > 0 && ', '}
            <Json path={`/v1/schemas/${name}.json`} words={name} />
          </span>
        ))}
        .
      </p>
      {value && (
        <>
          <h2 className="text-lg font-bold">Over HTTP</h2>
          <div className="space-y-2">
            {Object.entries(value[0].paths).flatMap(([path, methods]) =>
              Object.entries(methods).map(([method, operation]) => (
                <Route key={operation.operationId} method={method} path={path} operation={operation} />
              )),
            )}
          </div>
          <h2 className="text-lg font-bold">Over the talk socket, /v1/line</h2>
          <p className="text-sm">{value[1].info.description}</p>
          <div className="grid gap-2 lg:grid-cols-2">
            {Object.entries(value[1].components.messages).map(([id, message]) => (
              <details key={id} className="rounded-box border border-base-300 p-2">
                <summary className="cursor-pointer">
                  <strong>{message.title}</strong>: {message.summary}
                </summary>
                {message.examples?.[0] && (
                  <Code text={JSON.stringify(message.examples[0].payload, null, 1)} />
                )}
              </details>
            ))}
          </div>
        </>
      )}
    </main>
  );
}

function Json({ path, words }: { path: string; words: string }) {
  return (
    <a className="link" href={path}>
      {words}
    </a>
  );
}

function Code({ text }: { text: string }) {
  return (
    <pre className="text-xs whitespace-pre-wrap break-all bg-base-200 rounded-field p-2 mt-1">{text}</pre>
  );
}

function Route({ method, path, operation }: { method: string; path: string; operation: Operation }) {
  return (
    <details className="rounded-box border border-base-300 p-2">
      <summary className="cursor-pointer">
        <code className="font-bold uppercase text-primary">{method}</code> <code>{path}</code>:{' '}
        {operation.summary}
      </summary>
      <p className="text-sm mt-1">{answersWith(operation)}</p>
      {operation.parameters.length > 0 && (
        <ul className="text-sm list-disc ml-5">
          {operation.parameters.map(({ name, in: where, schema }) => (
            <li key={name}>
              <code>{name}</code> ({where}){' '}
              {schema.anyOf?.map(({ const: value }) => String(value)).join(' | ') ?? schema.type}
            </li>
          ))}
        </ul>
      )}
      <Code text={curlOf(method, path, operation)} />
    </details>
  );
}

function answersWith({ responses }: Operation): string {
  const types = Object.keys(responses[200]?.content ?? {});
  return types.length === 0 ? 'Answers without a text.' : `Answers with ${types.join(', ')}.`;
}

/** The operation's example as a command; ids of its own stand in it. */
function curlOf(
  method: string,
  path: string,
  { parameters, requestBody, 'x-example': example }: Operation,
): string {
  const filled = parameters
    .filter((one) => one.in === 'path')
    .reduce((text, { name, example: value }) => text.replace(`{${name}}`, String(value)), path);
  const query = parameters
    .filter((one) => one.in === 'query' && one.example !== undefined)
    .map(({ name, example: value }) => `${name}=${String(value)}`)
    .join('&');
  const headers = parameters
    .filter((one) => one.in === 'header')
    .map(({ name, example: value }) => ` -H '${name}: ${String(value)}'`)
    .join('');
  const [type, body] = Object.entries(requestBody?.content ?? {})[0] ?? [];
  const verb = method === 'get' ? '' : ` -X ${method.toUpperCase()}`;
  const data =
    type === undefined
      ? ''
      : type === 'application/octet-stream'
        ? ` --data-binary @${example.sound}.wav`
        : ` -H 'content-type: ${type}' --data '${typeof body?.example === 'string' ? body.example : JSON.stringify(body?.example)}'`;
  return `curl${verb}${headers}${data} '${location.origin}${filled}${query === '' ? '' : `?${query}`}'`;
}
