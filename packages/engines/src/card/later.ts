/** An exchange that can only be begun later: what is sent until then waits. */
import type { Exchange, Incoming } from './exchange.js';

export function later(begun: Promise<Exchange>): Exchange {
  const then = (act: (exchange: Exchange) => void) => void begun.then(act, () => undefined);
  return {
    send: (data) => then((exchange) => exchange.send(data)),
    finish: () => then((exchange) => exchange.finish()),
    done: () => then((exchange) => exchange.done?.()),
    incoming: incoming(),
  };

  async function* incoming(): AsyncIterable<Incoming> {
    yield* (await begun).incoming;
  }
}
