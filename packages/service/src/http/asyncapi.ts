/** The AsyncAPI 3 document of the talk socket, made from the schemas of its messages. */
import { callerMessages, serviceMessages } from '@verbalon/protocol';
import { CALLER_EXAMPLES, MEANINGS, SERVICE_EXAMPLES } from './socket-examples.js';

type Schemas = Record<string, object>;

export function asyncApi(): object {
  const caller = messages('caller', callerMessages, CALLER_EXAMPLES);
  const service = messages('service', serviceMessages, SERVICE_EXAMPLES);
  const names = (side: Schemas) =>
    Object.keys(side).map((name) => ({ $ref: `#/channels/line/messages/${name}` }));
  return {
    asyncapi: '3.0.0',
    info: {
      title: 'The talk socket of Verbalon',
      version: '1.0.0',
      description:
        'JSON text messages carry words and control, binary messages carry sound (a header of 16 bytes, then 16-bit samples). ' +
        'All times are milliseconds on the axis of the captured sound. See docs/talk-socket.md.',
      license: { name: 'MIT' },
    },
    defaultContentType: 'application/json',
    servers: { local: { host: '127.0.0.1:7464', protocol: 'ws', description: 'a service on this machine' } },
    channels: {
      line: {
        address: '/v1/line',
        description: 'One caller’s line. The first message is "arrive".',
        messages: refs({ ...caller, ...service }),
      },
    },
    operations: {
      fromTheLine: {
        action: 'receive',
        channel: { $ref: '#/channels/line' },
        summary: 'What a line sends',
        messages: names(caller),
        // Once a key was made: a program shows one with "talk" (Authorization), a page shows a token ("pass"
        // of "arrive").
        security: [
          { $ref: '#/components/securitySchemes/key' },
          { $ref: '#/components/securitySchemes/pass' },
        ],
        'x-scope': 'talk',
      },
      fromTheService: {
        action: 'send',
        channel: { $ref: '#/channels/line' },
        summary: 'What the service sends',
        messages: names(service),
      },
    },
    components: {
      messages: { ...caller, ...service },
      securitySchemes: {
        key: { type: 'http', scheme: 'bearer', description: 'a key with the scope "talk"' },
        pass: { type: 'userPassword', description: 'a page token (POST /v1/tokens), as "pass" of "arrive"' },
      },
    },
  };
}

function refs(all: Schemas): Schemas {
  return Object.fromEntries(
    Object.keys(all).map((name) => [name, { $ref: `#/components/messages/${name}` }]),
  );
}

function messages(side: 'caller' | 'service', schemas: Schemas, examples: Record<string, object>): Schemas {
  const described = Object.entries(schemas).map(([kind, schema]) => {
    const message = {
      name: kind,
      title: `${kind}, from the ${side === 'caller' ? 'line' : 'service'}`,
      summary: MEANINGS[`${side}.${kind}`],
      payload: schema,
      examples: [{ name: kind, payload: examples[kind] }],
    };
    return [`${side}-${kind}`, message];
  });
  const frame = {
    name: 'frame',
    title: `sound, from the ${side === 'caller' ? 'line' : 'service'}`,
    summary: 'A binary frame: header of 16 bytes, then 16-bit little-endian samples',
    contentType: 'application/octet-stream',
    payload: { type: 'string', format: 'binary' },
  };
  return { ...(Object.fromEntries(described) as Schemas), [`${side}-frame`]: frame };
}
