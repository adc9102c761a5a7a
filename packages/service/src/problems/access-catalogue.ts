/** What is refused of those who may not, or may not now. */
export const ACCESS_PROBLEMS = {
  'key-missing': {
    status: 401,
    title: 'The service asks for a key',
    remedy:
      'Set VERBALON_KEY for commands, send "Authorization: Bearer KEY" from a program, sign in to the console. Whoever has "manage" makes a key: verbalon keys new NAME --scope talk.',
  },
  'key-unknown': {
    status: 401,
    title: 'What was shown opens nothing',
    remedy: 'Take a key that holds (verbalon keys lists them), or ask for a new token, or sign in again.',
  },
  'scope-missing': {
    status: 403,
    title: 'The key is for something else',
    remedy: 'Take a key that has the scope that is named, or make one: verbalon keys new NAME --scope SCOPE.',
  },
  'view-unknown': {
    status: 404,
    title: 'This link shows nothing',
    remedy: 'Ask for a new one: POST /v1/conversations/ID/views, or "Show on a screen" in the console.',
  },
  'talk-over': {
    status: 410,
    title: 'The talk is over',
    remedy: 'A talk can be watched while it goes on; what was said is at GET /v1/conversations/ID.',
  },
  'guest-may-not': {
    status: 403,
    title: 'A guest of a talk may not do this',
    remedy:
      'Ask for a link that is for it: POST /v1/conversations/ID/views with "may": "join" or "take over".',
  },
  'guests-too-many': {
    status: 503,
    title: 'No more guests fit into this talk',
    remedy: 'Wait until somebody leaves, or watch it: a link that only shows lets more in.',
  },
  'floor-taken': {
    status: 409,
    title: 'Somebody else speaks',
    remedy: 'Wait until it is over, then press again.',
  },
  'choice-not-offered': {
    status: 403,
    title: 'Callers of this assistant may not choose this',
    remedy:
      'List it under "callersMaySwap" in assistants/NAME.yaml (callersMaySwap: { llm: [NAME] }), or talk with a key of your own.',
  },
  'token-spent': {
    status: 403,
    title: 'The page token has been used up',
    remedy: 'Ask for a new one (POST /v1/tokens) for each talk, or for one with more talks.',
  },
  'origin-foreign': {
    status: 403,
    title: 'The page is of another origin, and nobody let it in',
    remedy:
      'Add the page’s origin to "origins" in assistants/NAME.yaml, or have your server ask for a token that names it (POST /v1/tokens).',
  },
  'proxy-unknown': {
    status: 403,
    title: 'A proxy stands before the service, and the service was not told of it',
    remedy: 'Start the service with VERBALON_PROXY=ADDRESS of the proxy; see docs/exposing.md.',
  },
  'key-name-taken': {
    status: 409,
    title: 'There is a key of that name already',
    remedy: 'Choose another name, or revoke the other first: verbalon keys revoke NAME.',
  },
  'key-not-there': {
    status: 404,
    title: 'There is no such key',
    remedy: 'verbalon keys lists them.',
  },
  'keys-needed': {
    status: 409,
    title: 'A key with "manage" is needed first',
    remedy: 'Make one, such as: verbalon keys new owner --scope talk read manage.',
  },
  'edit-off': {
    status: 403,
    title: 'Files of the project are not written over HTTP here',
    remedy: 'Change the file on the machine of the service, or start it with: verbalon serve --edit.',
  },
  'requests-too-many': {
    status: 429,
    title: 'Too many requests came at once',
    remedy: 'Wait a second. "limits.requestsASecond" in project.yaml says how many one address may send.',
  },
  'talks-too-many': {
    status: 429,
    title: 'No more talks may be held now',
    remedy:
      'Come again when it says. "limits" in project.yaml, in assistants/NAME.yaml, or of the key say how many there may be.',
  },
  'settings-broken': {
    status: 500,
    title: 'A setting of the service cannot be used',
    remedy: 'Correct it and start again; docs/exposing.md tells what each may be.',
  },
};
