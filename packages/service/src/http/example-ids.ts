/**
 * What examples name that only a service's own talks bring about: whoever tries an example writes one of
 * theirs in its place.
 */
export const EXAMPLE_IDS = {
  /** A talk that has ended. */
  talk: '0b7f3c6a-51d2-4e0f-8a3b-6c1d2e3f4a01',
  /** A talk that goes on. */
  liveTalk: '0b7f3c6a-51d2-4e0f-8a3b-6c1d2e3f4a02',
  tryout: '0b7f3c6a-51d2-4e0f-8a3b-6c1d2e3f4a03',
  /** A message that waits. */
  message: '0b7f3c6a-51d2-4e0f-8a3b-6c1d2e3f4a04',
  call: '0b7f3c6a-51d2-4e0f-8a3b-6c1d2e3f4a05',
  /** Of a link to a talk that goes on. */
  viewToken: 'u3V8nQ2kLw7RbT5xYc9ZdE1f',
  /** What opens the door. */
  key: 'a-key-as-it-was-told-once',
};
