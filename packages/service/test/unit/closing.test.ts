import { expect, it } from '@jest/globals';
import { Closing } from '../../src/closing.js';

it('what was opened is closed in the opposite order, and what cannot be closed keeps nothing else open', async () => {
  const closing = new Closing();
  const closed: string[] = [];
  const close = (name: string) => void closed.push(name);
  closing.opened('records', close);
  closing.opened('engines', () => {
    throw new Error('the engines cannot be closed');
  });
  closing.opened('telephone', () => Promise.reject(new Error('nor can the telephone')));
  closing.opened('lines', close);
  await expect(closing.all()).rejects.toThrow('nor can the telephone');
  expect(closed).toEqual(['lines', 'records']);
  await closing.all();
});
