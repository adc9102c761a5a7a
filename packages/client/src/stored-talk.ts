/** A stored talk as the live one looked: made from its journal. */
import { toldInWords, type Happening, type Order } from '@verbalon/core';
import type { JournalEntry, ServiceMessage } from '@verbalon/protocol';
import { emptyView, showMessage, showPlayed, type TalkView } from './talk-view.js';

export function viewOfJournal(journal: readonly JournalEntry[]): TalkView {
  let view: TalkView = { ...emptyView, connection: 'ended' };
  for (const { side, atMs, body } of journal) {
    view = side === 'order' ? afterOrder(view, body as Order, atMs) : afterHappening(view, body as Happening);
  }
  return { ...view, connection: 'ended' };
}

function afterOrder(view: TalkView, order: Order, atMs: number): TalkView {
  if (order.kind === 'hush') return showMessage(view, { kind: 'hush', atMs });
  if (order.kind !== 'tell') return view;
  const { message } = order;
  // After a fresh start the page is empty; what is stored shows all of it. Troubles are in the reports.
  if (message.kind === 'fresh' || message.kind === 'trouble') return view;
  return showMessage(view, { ...toldInWords(message), atMs } as ServiceMessage);
}

function afterHappening(view: TalkView, happening: Happening): TalkView {
  if (happening.kind === 'typed')
    return { ...view, typed: [...view.typed, { text: happening.text, atMs: happening.nowMs }] };
  if (happening.kind !== 'played') return view;
  return showPlayed(view, happening.speech, happening.playedMs, happening.atMs);
}
