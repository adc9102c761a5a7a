/** What schemas of several files share. */
import { Type } from '@sinclair/typebox';

export const closed = { additionalProperties: false };
export const Name = Type.String({
  pattern: '^[a-z][a-z0-9-]{0,62}$',
  description: 'lower-case letters, digits and hyphens',
});
/** Slots of templates, each with its values. */
export const SlotValues = Type.Record(
  Type.String({ pattern: '^[A-Za-z][A-Za-z0-9_-]{0,62}$' }),
  Type.Array(Type.String({ minLength: 1, maxLength: 500 }), { minItems: 1, maxItems: 5_000 }),
  { maxProperties: 500, additionalProperties: false },
);
export const Sentence = Type.String({ minLength: 1, maxLength: 2_000 });
/** What PostgreSQL keeps as an integer. */
export const MOST_COUNT = 2_147_483_647;
export const Count = Type.Integer({ minimum: 0, maximum: MOST_COUNT });
/** A sample's index on a line's axis: at 192 kHz a talk of more than a year. */
export const SampleIndex = Type.Integer({ minimum: 0, maximum: 10_000_000_000_000 });
/** The id of a speech, as frames carry it. */
export const SpeechId = Type.Integer({ minimum: 0, maximum: 4_294_967_295 });
