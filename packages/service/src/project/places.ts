/**
 * Places in an errand's file that are to be filled: `{slot}`, and what the doing gives. One that nothing
 * fills is a mistake.
 */
import { Fault } from '@verbalon/core';
import type { ErrandFile } from '@verbalon/protocol';

const PLACE = /\{([^{}|]*)(?:\|[^{}]*)?\}/g;

/** @throws Fault with a path into the file */
export function checkPlaces(file: ErrandFile): void {
  const slots = Object.keys(file.slots);
  const { does } = file;
  for (const [slot, { ask, again }] of Object.entries(file.slots)) {
    checkText(ask, slots, `/slots/${slot}/ask`);
    checkText(again, slots, `/slots/${slot}/again`);
  }
  if ('http' in does) {
    const { to, headers, body, wasDone } = does.http;
    checkText(to, [...slots, 'run'], '/does/http/to');
    checkText(wasDone?.to, [...slots, 'run'], '/does/http/wasDone/to');
    checkAll(headers, ['secret'], '/does/http/headers');
    checkAll(body, [...slots, 'run'], '/does/http/body');
  }
  if ('message' in does) checkMessage(does.message, slots);
  if ('screen' in does) checkAll(does.screen, slots, '/does/screen');
  const given = givenBy(does);
  if (given !== null) checkAll(file.says, [...slots, ...given], '/says');
}

/** A message has something to say, and its places are slots. */
function checkMessage(
  message: Extract<ErrandFile['does'], { message: unknown }>['message'],
  slots: readonly string[],
): void {
  if ((message.does ?? 'send') === 'send' && message.text === undefined)
    throw new Fault('errand-broken', 'a message has no "text"', '/does/message');
  checkAll(message, [...slots, 'caller'], '/does/message');
}

/** The names of what the doing gives to be said; null where only code knows. */
function givenBy(does: ErrandFile['does']): string[] | null {
  if ('http' in does) return Object.keys({ ...does.http.gives, ...does.http.wasDone?.gives });
  if ('message' in does) return ['name'];
  return 'module' in does || 'program' in does || 'screen' in does ? null : [];
}

function checkAll(template: unknown, known: readonly string[], path: string): void {
  if (typeof template === 'string') return checkText(template, known, path);
  if (template === null || typeof template !== 'object') return;
  for (const [key, one] of Object.entries(template)) checkAll(one, known, `${path}/${key}`);
}

function checkText(text: string | undefined, known: readonly string[], path: string): void {
  for (const [, name = ''] of text?.matchAll(PLACE) ?? [])
    if (!known.includes(name))
      throw new Fault(
        'errand-broken',
        `nothing fills {${name}}: known here are ${known.map((one) => `{${one}}`).join(', ') || 'none'}`,
        path,
      );
}
