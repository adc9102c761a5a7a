/** A synthesiser's host process: one phrase at a time, told what to say over IPC. */
import type { FromTtsHost, ToTtsHost } from './messages.js';
import { Speaker } from './native.js';

const speaker = new Speaker();

function tell(message: FromTtsHost): void {
  process.send?.(message);
}

process.on('message', (message: ToTtsHost) => {
  if (message.kind === 'say') {
    tell({
      kind: 'said',
      job: message.job,
      ...speaker.say(message.text, message.voice, message.rate, message.pitchHz),
    });
  } else {
    const phones = Object.fromEntries(message.words.map((word) => [word, speaker.phones(word)]));
    tell({ kind: 'pronounced', job: message.job, phones });
  }
});
process.on('disconnect', () => process.exit(0));

for (const voice of (process.env.VERBALON_FLITE_VOICES ?? 'slt').split(','))
  speaker.say('ready', voice, 1, null);
tell({ kind: 'ready' });
