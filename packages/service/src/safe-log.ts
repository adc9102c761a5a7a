/**
 * The log of a service: errors by their cause, never with what a query was asked with, as callers' words
 * stand there.
 */
import { pino, stdSerializers, type DestinationStream, type Logger, type LoggerOptions } from 'pino';

/** How the database's library begins its message, before the query and its parameters. */
const QUERY = /Failed query:[\s\S]*/;

const withoutQuery = (text: string): string => text.replace(QUERY, 'a query failed');

/** What is logged of an error: its cause, and where it happened. */
function shown(error: Error): object {
  const { message, stack, ...rest } = stdSerializers.err(error) as unknown as Record<string, unknown>;
  delete rest.cause;
  delete rest.query;
  delete rest.params;
  const of = error.cause instanceof Error ? { cause: shown(error.cause) } : {};
  return { ...rest, message: withoutQuery(String(message)), stack: withoutQuery(String(stack)), ...of };
}

const OPTIONS: LoggerOptions = {
  serializers: { err: shown },
  hooks: {
    logMethod(args, method) {
      const [first, ...rest] = args as unknown[];
      // An error by itself would have its own message for the line's.
      const safe =
        first instanceof Error ? [{ err: first }, rest[0] ?? withoutQuery(first.message)] : [first, ...rest];
      method.apply(
        this,
        safe.map((one) => (typeof one === 'string' ? withoutQuery(one) : one)) as typeof args,
      );
    },
  },
};

export function makeLogger(level: string, to: DestinationStream): Logger {
  return pino({ ...OPTIONS, level }, to);
}
