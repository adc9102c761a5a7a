/** An exchange of which somebody is told what goes over it. */
import type { Exchange, Incoming } from './exchange.js';

/** Of one message so much is told. */
const MOST_SHOWN = 2_000;

export function traced(
  exchange: Exchange,
  tell: (what: 'asked' | 'answered', text: string) => void,
): Exchange {
  const shown = (data: string | Buffer) =>
    typeof data === 'string' ? data.slice(0, MOST_SHOWN) : `${data.length} bytes`;
  return {
    send: (data) => {
      tell('asked', shown(data));
      exchange.send(data);
    },
    finish: () => exchange.finish(),
    done: () => exchange.done?.(),
    incoming: incoming(),
  };

  async function* incoming(): AsyncIterable<Incoming> {
    for await (const one of exchange.incoming) {
      if ('texts' in one) for (const text of one.texts) tell('answered', shown(text));
      else tell('answered', shown(one.bytes));
      yield one;
    }
  }
}
