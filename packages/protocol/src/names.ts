/** What schemas of several files share. */
import { Type } from '@sinclair/typebox';

export const closed = { additionalProperties: false };
export const Name = Type.String({
  pattern: '^[a-z][a-z0-9-]{0,62}$',
  description: 'lower-case letters, digits and hyphens',
});
export const Sentence = Type.String({ minLength: 1, maxLength: 2_000 });
