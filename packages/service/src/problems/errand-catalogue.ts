/** The part of the catalogue that errands, contacts and messages have. */
export const ERRAND_PROBLEMS = {
  'errand-broken': {
    status: 409,
    title: 'The file of this errand cannot be used',
    remedy: 'Fix the file at the line that is named; it is read again when it changes.',
  },
  'contacts-broken': {
    status: 409,
    title: 'The contacts cannot be used',
    remedy:
      'Fix contacts.yaml at the line that is named, or the vCard file; it is read again when it changes.',
  },
  'errand-unknown': {
    status: 404,
    title: 'There is no such errand',
    remedy: 'List the errands with GET /v1/errands, or add errands/NAME.yaml to the project folder.',
  },
  'errand-not-done': {
    status: 502,
    title: 'An errand could not be done',
    remedy:
      'The log says what its system answered; look at "does" in errands/NAME.yaml, and try it with `verbalon errands try`.',
  },
  'message-unknown': {
    status: 404,
    title: 'There is no such message',
    remedy: 'List the messages with GET /v1/messages.',
  },
  'message-gone': {
    status: 409,
    title: 'The message does not wait any more',
    remedy:
      'Only a message that still waits can be changed or withdrawn: see its state with GET /v1/messages.',
  },
} as const;
