/** `verbalon talk` and `verbalon listen`: what they are called with. */
import type { Command } from 'commander';
import { complain } from './complain.js';
import { talkCommand, type TalkCommandOptions } from './talk-commands.js';

const talking = (command: Command): Command =>
  command
    .option('--from <file>', 'speak this WAV file in real time instead of the microphone')
    .option('--save <file>', 'keep both sides as a WAV file: the caller left, the assistant right')
    .option('--json', 'one event a line, as on the socket')
    .option('--once', 'a press opens the floor, silence closes it; listen: one turn, and its text')
    .option('--input <name>', 'the microphone; verbalon sound lists them')
    .option('--output <name>', 'the loudspeaker')
    .option('--language <tag>', 'your language (BCP 47); by default that of this machine');

export function addTalkCommands(program: Command): void {
  talking(
    program
      .command('talk')
      .description('talk to an assistant, by microphone or with a recording')
      .argument('[assistant]', 'its name; by default the project’s own'),
  )
    .option('--headphones', 'the microphone does not hear the assistant: it may be interrupted by speaking')
    .option('--echo-test', 'find out first whether the microphone hears the loudspeaker; it is remembered')
    .option('--push', 'push-to-talk: Space begins your turn and ends it')
    .option('--plain', 'lines instead of the full screen')
    .option(
      '--type',
      'type instead of speaking: no microphone, a line is a turn; with --from, lines are typed in between',
    )
    .option('--device', 'the simulator of a device with one button, a light and two lines of text')
    .addHelpText(
      'after',
      '\nOn a full screen the keys are shown. In lines: text is a typed turn, an empty line hushes, /press begins and ends your turn, /fresh starts afresh, /leave ends.',
    )
    .action((assistant: string | undefined, options: TalkCommandOptions) =>
      talkCommand('talk', assistant, options).catch(complain),
    );

  talking(
    program
      .command('listen')
      .description('live words, without an answer')
      .argument('[assistant]', 'whose language and expected phrases to use; by default the project’s own'),
  ).action((assistant: string | undefined, options: TalkCommandOptions) =>
    talkCommand('listen', assistant, options).catch(complain),
  );
}
