/** What is refused of telephone calls. */
export const PHONE_PROBLEMS = {
  'phone-off': {
    status: 409,
    title: 'The telephone is not set up',
    remedy:
      'Write "phone:" with its numbers into project.yaml (docs/telephone.md), and start the service again.',
  },
  'phone-away': {
    status: 503,
    title: 'The telephone cannot be used',
    remedy: 'Choose another address or port under "phone:" in project.yaml, and start the service again.',
  },
  'phone-ports-used': {
    status: 503,
    title: 'No port is free for the sound of a call',
    remedy: 'Widen "sound:" under "phone:" in project.yaml: each call needs two ports.',
  },
  'phone-number-malformed': {
    status: 400,
    title: 'This cannot be rung',
    remedy:
      'Give a SIP address such as sip:200@127.0.0.1:5070, or a number where "phone:" names a registration.',
  },
  'call-unknown': {
    status: 404,
    title: 'There is no such telephone call',
    remedy: 'List the calls with GET /v1/calls.',
  },
} as const;
