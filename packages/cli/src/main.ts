/** The command line. */
import { Command, InvalidArgumentError } from 'commander';
import { DEFAULT_PORT } from '@verbalon/service';
import { complain } from './complain.js';
import { serveCommand, type ServeCommandOptions } from './serve-command.js';
import { talkCommand, type TalkCommandOptions } from './talk-commands.js';

function port(text: string): number {
  const value = Number(text);
  if (!Number.isInteger(value) || value < 0 || value > 65_535)
    throw new InvalidArgumentError('a port is 0 to 65535');
  return value;
}

const program = new Command('verbalon')
  .description(
    'Voice assistants on your own machine: live hearing, a model that streams, a voice that can be interrupted.',
  )
  .showHelpAfterError('(try --help)');

program
  .command('serve')
  .description('run the service')
  .option('--port <port>', 'port on 127.0.0.1; 0 for any free one', port, DEFAULT_PORT)
  .option('--data <folder>', 'where the database and everything else is kept', '.verbalon/data')
  .option('--project <folder>', 'where project.yaml, assistants/ and engines/ are', 'demo')
  .action((options: ServeCommandOptions) => serveCommand(options).catch(complain));

program
  .command('talk')
  .description('talk to an assistant, by microphone or with a recording')
  .argument('[assistant]', 'its name; by default the project’s own')
  .option('--from <file>', 'speak this WAV file in real time instead of the microphone')
  .option('--save <file>', 'keep both sides as a WAV file: the caller left, the assistant right')
  .option('--json', 'one event a line, as on the socket')
  .option('--headphones', 'the microphone does not hear the assistant: she may be interrupted by speaking')
  .addHelpText(
    'after',
    '\nWhile talking: a line of text is a typed turn, an empty line hushes, /fresh starts afresh, /leave ends.',
  )
  .action((assistant: string | undefined, options: TalkCommandOptions) =>
    talkCommand('talk', assistant, options).catch(complain),
  );

program
  .command('listen')
  .description('live words, without an answer')
  .argument('[assistant]', 'whose language and expected phrases to use; by default the project’s own')
  .option('--from <file>', 'hear this WAV file in real time instead of the microphone')
  .option('--save <file>', 'keep what was sent as a WAV file')
  .option('--json', 'one event a line, as on the socket')
  .action((assistant: string | undefined, options: TalkCommandOptions) =>
    talkCommand('listen', assistant, options).catch(complain),
  );

await program.parseAsync();
