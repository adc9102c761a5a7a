/**
 * The catalogue of everything that the service refuses or reports: a stable code, a status, what is wrong,
 * what to do.
 */
import { ACCESS_PROBLEMS } from './access-catalogue.js';
import { ERRAND_PROBLEMS } from './errand-catalogue.js';
import { FILE_PROBLEMS } from './file-catalogue.js';
import { PHONE_PROBLEMS } from './phone-catalogue.js';

export interface Entry {
  status: number;
  title: string;
  remedy: string;
}

export const PROBLEMS = {
  ...ACCESS_PROBLEMS,
  ...ERRAND_PROBLEMS,
  ...FILE_PROBLEMS,
  ...PHONE_PROBLEMS,
  'assistant-unknown': {
    status: 404,
    title: 'There is no such assistant',
    remedy: 'List the assistants with GET /v1/assistants, or add assistants/NAME.yaml to the project folder.',
  },
  'folder-not-empty': {
    status: 409,
    title: 'The folder is not empty',
    remedy: 'Name a folder that is new: nothing is ever overwritten.',
  },
  'project-missing': {
    status: 500,
    title: 'There is no project here',
    remedy: 'Name a folder that has a project.yaml, or begin one: verbalon new FOLDER.',
  },
  'engine-unknown': {
    status: 409,
    title: 'The lineup names an engine that is not there, or is of another role',
    remedy: 'Add engines/NAME.yaml to the project, or name another engine in the lineup.',
  },
  'engine-down': {
    status: 503,
    title: 'An engine does not answer',
    remedy: 'See GET /v1/engines for its state; a local engine is started again by itself.',
  },
  'engine-late': {
    status: 504,
    title: 'An engine took too long',
    remedy: 'Try again; see GET /v1/engines for its state.',
  },
  'engine-garbled': {
    status: 502,
    title: 'An engine answered in a way that cannot be read',
    remedy:
      'Compare what it sent with the engine’s card: receive.read says where the words, the text or the sound are, receive.encoding what its sound is.',
  },
  'engine-refused': {
    status: 502,
    title: 'An engine refused the request',
    remedy: 'Read what it said; check its address and its settings.',
  },
  'engine-busy': {
    status: 503,
    title: 'An engine takes no more requests just now',
    remedy: 'Wait, raise the limit at its provider or in its card, or name a second engine in the lineup.',
  },
  'engine-key-missing': {
    status: 503,
    title: 'The key of an engine is not set',
    remedy:
      'Write NAME=VALUE for the variable that its card names into .env of the project: that is read at once. A variable of the environment is read when the service starts.',
  },
  'engine-key-wrong': {
    status: 502,
    title: 'An engine does not accept its key',
    remedy: 'Check the value of the environment variable that its card names.',
  },
  'engine-forbidden': {
    status: 409,
    title: 'This engine may not serve this assistant',
    remedy: 'Name another engine, or change "stay", "language" or "speaks" in the assistant’s file.',
  },
  'budget-near': {
    status: 402,
    title: 'The budget is nearly used up',
    remedy: 'Raise "budget" in the assistant’s file, or swap to a cheaper engine.',
  },
  'budget-used-up': {
    status: 402,
    title: 'The budget is used up: the talk ends',
    remedy: 'Raise "budget" in the assistant’s file.',
  },
  'tryout-unknown': {
    status: 404,
    title: 'No such tryout is stored',
    remedy: 'See GET /v1/tryouts for those that are.',
  },
  'talk-unknown': {
    status: 404,
    title: 'No such talk is going on',
    remedy: 'See GET /v1/conversations for those that are.',
  },
  'language-unknown': {
    status: 409,
    title: 'No engine of this assistant knows the language',
    remedy: 'Put an engine that does into its lineup; verbalon engines shows what each one knows.',
  },
  'voice-unknown': {
    status: 400,
    title: 'The engine has no such voice',
    remedy: 'Name one of the voices that it has.',
  },
  'text-unspeakable': {
    status: 422,
    title: 'There is nothing in this text that can be said aloud',
    remedy: 'Send words or numbers; signs and pictures have no sound.',
  },
  'sound-empty': {
    status: 422,
    title: 'The recording has no sound in it',
    remedy: 'Record it again, or name another file.',
  },
  'sound-not-wav': {
    status: 415,
    title: 'This is no WAV file',
    remedy: 'Convert it first, for example with: sox FILE out.wav',
  },
  'sound-format-unknown': {
    status: 415,
    title: 'The format of this recording is not known here',
    remedy:
      'Send WAV, FLAC, MP3, Ogg (Vorbis or Opus) or WebM (Opus); or convert it, for example with: sox FILE out.wav',
  },
  'sound-cut-short': {
    status: 422,
    title: 'The recording was not written to its end',
    remedy: 'Copy or record it again.',
  },
  'sound-damaged': {
    status: 422,
    title: 'The recording is damaged',
    remedy: 'Copy it again from where it came from, or convert it anew.',
  },
  'sound-rate-out-of-range': {
    status: 415,
    title: 'The sample rate of this recording cannot be used',
    remedy: 'Convert it to a rate from 8,000 to 192,000 Hz, for example with: sox FILE -r 16000 out.wav',
  },
  'sound-too-large': {
    status: 413,
    title: 'The recording is too large',
    remedy: 'Cut it into parts of up to 2 GB.',
  },
  'thought-circling': {
    status: 502,
    title: 'The model only asked for functions, again and again',
    remedy: 'Say in its persona what it may call, or ask in other words.',
  },
  'thought-empty': {
    status: 502,
    title: 'The model answered without a word',
    remedy: 'Ask again, or in other words.',
  },
  'conversation-unknown': {
    status: 404,
    title: 'There is no such conversation',
    remedy: 'List the conversations with GET /v1/conversations.',
  },
  'recordings-too-many': {
    status: 429,
    title: 'Too many recordings were brought',
    remedy: 'Run the tryouts that they are for, or wait: they are kept for an hour.',
  },
  'recording-unknown': {
    status: 404,
    title: 'There is no such recording',
    remedy: 'List the recordings with GET /v1/recordings.',
  },
  'address-unknown': {
    status: 404,
    title: 'Nothing is at this address',
    remedy: 'The README lists the addresses.',
  },
  'host-foreign': {
    status: 403,
    title: 'The request was sent to another host, or a page from elsewhere loads it',
    remedy: 'Use http://localhost or http://127.0.0.1, or name the host in VERBALON_HOSTS.',
  },
  'request-broken': {
    status: 400,
    title: 'The request cannot be read',
    remedy: 'Send what the address asks for: see the Interface page of the console.',
  },
  'database-away': {
    status: 503,
    title: 'The database does not answer',
    remedy: 'Talks go on in the meantime. Check the database and try again; the service goes on trying.',
  },
  'message-malformed': {
    status: 400,
    title: 'The message is not JSON of a known shape',
    remedy: 'Send JSON text messages and binary frames as docs/talk-socket.md says.',
  },
  'message-too-large': {
    status: 413,
    title: 'The message is too large',
    remedy: 'Send sound in frames of up to a second and text of up to 4,000 characters.',
  },
  'not-arrived': {
    status: 409,
    title: 'The line must say "arrive" before anything else',
    remedy: 'Send {"kind":"arrive", …} first.',
  },
  'arrived-already': {
    status: 409,
    title: 'The line has arrived already',
    remedy: 'Open another connection for another talk.',
  },
  'frame-malformed': {
    status: 400,
    title: 'The binary frame cannot be read',
    remedy: 'Send a header of 16 bytes and 16-bit samples as docs/talk-socket.md says.',
  },
  'line-flooding': {
    status: 429,
    title: 'The line sends more than a caller can say',
    remedy: 'Send sound in real time and fewer than 200 messages a second.',
  },
  'line-not-reading': {
    status: 408,
    title: 'The line does not read what it is sent',
    remedy: 'Read from the socket; connect again.',
  },
  'line-silent': {
    status: 408,
    title: 'The line did not say "arrive" in time',
    remedy: 'Send {"kind":"arrive", …} within 10 seconds.',
  },
  'talk-gone': {
    status: 410,
    title: 'The talk that the line wants to go on with is over',
    remedy: 'Begin another: a lost line is waited for 10 seconds.',
  },
  'talk-taken-over': {
    status: 409,
    title: 'The talk goes on at another line',
    remedy: 'Another window has taken it over; begin another talk here if you like.',
  },
  'service-full': {
    status: 503,
    title: 'The service holds as many talks as it can',
    remedy: 'Come again in a moment; or run it on a larger machine, or with engines elsewhere.',
  },
  'played-too-far': {
    status: 400,
    title: 'The line says that it played what lies in the future',
    remedy: 'Send "capture" as the number of samples that were captured by then.',
  },
  'service-stopping': {
    status: 503,
    title: 'The service is being stopped',
    remedy: 'Connect again in a moment.',
  },
  'port-taken': {
    status: 500,
    title: 'The port is taken by another program',
    remedy: 'Stop that program, or choose another port with --port (0 for any free one).',
  },
  'data-not-writable': {
    status: 500,
    title: 'The data folder cannot be written to',
    remedy: 'Name another folder with --data, or change its owner or mode.',
  },
  'data-in-use': {
    status: 500,
    title: 'The data folder is used by another service',
    remedy: 'Stop that service, or name another folder with --data.',
  },
  'database-missing': {
    status: 500,
    title: 'PostgreSQL is not installed',
    remedy: 'Type: apt-get install postgresql — or name a running server in DATABASE_URL.',
  },
  'database-not-starting': {
    status: 500,
    title: 'The database does not start',
    remedy: 'Read postgres.log in the data folder, or name a running server in DATABASE_URL.',
  },
  'standin-not-starting': {
    status: 500,
    title: 'A stand-in of the project does not start',
    remedy: 'Run its start command by hand to see why.',
  },
  internal: {
    status: 500,
    title: 'Something went wrong in the service',
    remedy: 'Look into the log for the same moment and report it.',
  },
} satisfies Record<string, Entry>;
