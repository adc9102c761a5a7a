/**
 * A synthesiser's host process: one phrase at a time, told what to say over IPC. Its arguments are its
 * voices.
 */
import type { FromAnyHost } from '../hosts/host-pool.js';
import type { FromTtsHost, ToTtsHost } from './messages.js';
import { Speaker } from './native.js';

const speaker = new Speaker();

function tell(message: FromTtsHost | FromAnyHost): void {
  process.send?.(message);
}

function work(message: ToTtsHost): FromTtsHost {
  const { job } = message;
  if (message.kind === 'say')
    return { kind: 'said', job, ...speaker.say(message.text, message.voice, message.rate, message.pitchHz) };
  const phones = Object.fromEntries(message.words.map((word) => [word, speaker.phones(word)]));
  return { kind: 'pronounced', job, phones };
}

process.on('message', (message: ToTtsHost) => {
  const done = work(message);
  // Said first, so that whoever gets the sound can have the next phrase said here at once.
  tell({ kind: 'idle', job: message.job });
  tell(done);
});
process.on('disconnect', () => process.exit(0));

for (const voice of process.argv.slice(2)) speaker.say('ready', voice, 1, null);
tell({ kind: 'ready' });
