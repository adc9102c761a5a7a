/** The command line. */
import { readFileSync } from 'node:fs';
import { Argument, Command, CommanderError, InvalidArgumentError, Option } from 'commander';
import { ENGINE_ROLES, type EngineRole } from '@verbalon/core';
import { DEFAULT_PORT } from '@verbalon/protocol';
import { CommandFailed, complain, EXIT } from './complain.js';
import { terminal, useTerminal, type Terminal } from './terminal.js';
import {
  exportConversation,
  listConversations,
  replayConversation,
  showConversation,
} from './conversations-command.js';
import {
  aloudCommand,
  exchangeCommand,
  type ExchangeOptions,
  askCommand,
  transcribeCommand,
  voicesCommand,
  type AloudOptions,
  type TranscribeOptions,
} from './engine-commands.js';
import {
  checkCommand,
  costCommand,
  enginesCommand,
  languageCommand,
  swapCommand,
  type CostOptions,
} from './lineup-commands.js';
import { addErrandsCommand } from './errands-command.js';
import { addKeysCommands } from './keys-command.js';
import { addMessagesCommands } from './messages-command.js';
import { addPhoneCommands } from './phone-command.js';
import { languagesCommand } from './languages-command.js';
import { checkProjectCommand, newCommand, type NewOptions } from './project-commands.js';
import { tryoutCommand, type TryoutOptions } from './tryout-command.js';
import { serveCommand, type ServeCommandOptions } from './serve-command.js';
import { addLineCommand } from './line-command.js';
import { soundCommand, type SoundCommandOptions } from './sound-command.js';
import { addTalkCommands } from './talk-options.js';

function port(text: string): number {
  const value = Number(text);
  if (!Number.isInteger(value) || value < 0 || value > 65_535)
    throw new InvalidArgumentError('a port is 0 to 65535');
  return value;
}

function number(name: string, least: number, most: number): (text: string) => number {
  return (text) => {
    const value = Number(text);
    if (!(value >= least && value <= most)) throw new InvalidArgumentError(`${name} is ${least} to ${most}`);
    return value;
  };
}

const seconds = number('seconds', 0.5, 600);

function versionOf(): string {
  const file = new URL('../package.json', import.meta.url);
  return (JSON.parse(readFileSync(file, 'utf8')) as { version: string }).version;
}

/** Projects, and the service that serves one. */
function addServiceCommands(program: Command): void {
  program
    .command('new')
    .description('begin a project that talks at once')
    .argument('<folder>', 'a new one')
    .option('--title <title>', 'what it is called')
    .option('--language <tag>', 'BCP 47, such as en or de')
    .addOption(new Option('--ears <ears>', 'what hears').choices(['local', 'ears-file', 'ears-stream']))
    .addOption(new Option('--mind <mind>', 'what thinks').choices(['answers', 'mind', 'desk']))
    .addOption(
      new Option('--voice <voice>', 'what speaks').choices([
        'local',
        'espeak',
        'voice-packed',
        'voice-token',
      ]),
    )
    .option('--recorded', 'keep the sound and words of its talks')
    .option('--yes', 'ask nothing: what is not given is as usual')
    .action((folder: string, options: NewOptions) => newCommand(folder, options).catch(complain));

  program
    .command('check')
    .description(
      'look a project through, without a service: all mistakes, missing keys, files that nobody uses',
    )
    .argument('[folder]', 'the project', 'demo')
    .option('--json', 'as JSON')
    .action((folder: string, options: { json?: boolean }) =>
      checkProjectCommand(folder, options).catch(complain),
    );

  program
    .command('serve')
    .description('run the service')
    .option('--port <port>', 'the port; 0 for any free one', port, DEFAULT_PORT)
    .option(
      '--host <address>',
      'where to listen; other than this machine only when a key can manage it',
      '127.0.0.1',
    )
    .option('--cert <file>', 'a certificate (PEM), with --cert-key: the service speaks TLS')
    .option('--cert-key <file>', 'its private key (PEM)')
    .option('--edit', 'files may be written over HTTP, though the service is reached from elsewhere')
    .option(
      '--data <folder>',
      'where the database and everything else is kept; by default .verbalon/data in the project',
    )
    .option('--project <folder>', 'where project.yaml, assistants/ and engines/ are', 'demo')
    .option('--quiet', 'log only what goes wrong')
    .option('--verbose', 'log also what engines are asked and answer, without keys')
    .action((options: ServeCommandOptions) => serveCommand(options).catch(complain));
}

/** Microphone and loudspeaker of this machine. */
function addSoundCommand(program: Command): void {
  program
    .command('sound')
    .description('check microphone and loudspeaker')
    .option('--input <name>', 'the microphone')
    .option('--output <name>', 'the loudspeaker')
    .option('--list', 'only list the devices')
    .option('--seconds <seconds>', 'how long to listen', seconds, 3)
    .option('--hear', 'play back what was heard')
    .option('--echo', 'find out whether the microphone hears the loudspeaker')
    .option('--json', 'the result as JSON')
    .action((options: SoundCommandOptions) => soundCommand(options).catch(complain));
}

/** One engine at a time. */
function addTaskCommands(program: Command): void {
  program
    .command('transcribe')
    .description('the words of recordings: WAV, FLAC, MP3, Ogg or WebM')
    .argument('<file...>', 'one or several; - for standard input')
    .option('--assistant <name>', 'whose expected phrases to use; by default the project’s own')
    .option('--engine <name>', 'other ears; verbalon engines lists them')
    .option('--json', 'the same as --format json')
    .addOption(
      new Option('--format <format>', 'what is written').choices(['text', 'json', 'vtt']).default('text'),
    )
    .option('--spoken', 'the words as they were spoken, without their written form')
    .action((files: string[], options: TranscribeOptions) =>
      transcribeCommand(files, options).catch(complain),
    );

  program
    .command('aloud')
    .description('say a text aloud')
    .argument('<text>', 'or - for standard input')
    .option('--to <file>', 'write a WAV file instead of playing; - for standard output')
    .option('--assistant <name>', 'whose voice; by default the project’s own')
    .option('--engine <name>', 'another engine; verbalon engines lists them')
    .option('--voice <name>', 'another voice of the engine; verbalon voices lists them')
    .option('--rate <factor>', '0.5 to 2', number('rate', 0.5, 2))
    .option('--pitch <hz>', 'mean pitch, 50 to 400 Hz', number('pitch', 50, 400))
    .option('--volume <factor>', '0.05 to 4', number('volume', 0.05, 4))
    .option('--output <name>', 'the loudspeaker')
    .action((text: string, { pitch, ...options }: AloudOptions & { pitch?: number }) =>
      aloudCommand(text, { ...options, ...(pitch === undefined ? {} : { pitchHz: pitch }) }).catch(complain),
    );

  program
    .command('voices')
    .description('list the voices')
    .option('--hear', 'hear each of them')
    .option('--output <name>', 'the loudspeaker')
    .option('--json', 'as JSON')
    .action((options: { hear?: boolean; output?: string; json?: boolean }) =>
      voicesCommand(options).catch(complain),
    );

  program
    .command('ask')
    .description('ask an assistant’s model in writing')
    .argument('<text>', 'or - for standard input')
    .option('--assistant <name>', 'by default the project’s own')
    .option('--engine <name>', 'another model; verbalon engines lists them')
    .option('--conversation <id>', 'continue an earlier question')
    .option('--json', 'as JSON')
    .action(
      (
        text: string,
        options: { assistant?: string; engine?: string; conversation?: string; json?: boolean },
      ) => askCommand(text, options).catch(complain),
    );

  program
    .command('exchange')
    .description('a recording in, the answer and its speech out')
    .argument('<file>', 'WAV, FLAC, MP3, Ogg or WebM; - for standard input')
    .option('--assistant <name>', 'by default the project’s own')
    .option('--conversation <id>', 'goes on with an exchange before')
    .option('--to <file>', 'write the speech as a WAV file instead of playing it; - for standard output')
    .option('--output <name>', 'the loudspeaker')
    .option('--json', 'as JSON, without the speech')
    .action((file: string, options: ExchangeOptions) => exchangeCommand(file, options).catch(complain));
}

/** Which engines there are and serve, what they cost, and which is best. */
function addEngineCommands(program: Command): void {
  const engines = program
    .command('engines')
    .description('list engines with role, place, price and state; engines check [NAME…]')
    .option('--json', 'as JSON')
    .action((options: { json?: boolean }) => enginesCommand(options).catch(complain));
  engines
    .command('check')
    .description('test each engine with a real request; exit code 1 if any fails')
    .argument('[name...]', 'by default all of them')
    .action((names: string[]) => checkCommand(names, engines.opts()).catch(complain));

  const role = () =>
    new Option('--role <role>', 'what they are for').choices(ENGINE_ROLES).makeOptionMandatory();
  const list = (text: string) => text.split(',').map((one) => one.trim());

  program
    .command('swap')
    .description('change an engine during a live talk')
    .addArgument(new Argument('<role>').choices(ENGINE_ROLES))
    .argument('<engine>')
    .option('--talk <id>', 'which, if several go on')
    .action((of: EngineRole, engine: string, options: { talk?: string }) =>
      swapCommand(of, engine, options).catch(complain),
    );

  program
    .command('language')
    .description('hear, or answer in, another language during a live talk')
    .option('--hears <tag>', 'what the caller speaks from now on, such as en')
    .option('--speaks <tag>', 'in which it answers, such as de')
    .option('--talk <id>', 'which, if several go on')
    .action((options: { hears?: string; speaks?: string; talk?: string }) =>
      languageCommand(options).catch(complain),
    );

  program
    .command('languages')
    .description('what each engine knows, what there are rules for, and how to install what is missing')
    .option('--json', 'as JSON')
    .action((options: { json?: boolean }) => languagesCommand(options).catch(complain));

  program
    .command('cost')
    .description(
      'what a talk cost, or the last days; with --stt, --llm or --tts also what it would have cost with that engine',
    )
    .argument('[id]', 'of a conversation, or its beginning')
    .option('--days <days>', 'number of days', number('days', 1, 400), 30)
    .option('--stt <engine>')
    .option('--llm <engine>')
    .option('--tts <engine>')
    .option('--json', 'as JSON')
    .action((id: string | undefined, options: CostOptions) => costCommand(id, options).catch(complain));

  program
    .command('tryout')
    .description('the same recordings, questions or texts through several engines, compared')
    .addOption(role())
    .requiredOption('--engines <names>', 'separated by commas', list)
    .option('--assistant <name>', 'whose expected phrases, persona and voice; by default the project’s own')
    .option(
      '--recordings <folder>',
      'stt: a folder of NAME.wav with NAME.txt, which is sent to the service, or names of the project’s recordings; by default all of these',
    )
    .option('--conversations <ids>', 'stt: the corrected turns of stored conversations instead', list)
    .option('--texts <file>', 'llm, tts: a question or a text a line')
    .option('--words', 'also every item, word by word')
    .option('--csv <file>', 'keep it as CSV, a row an item')
    .option('--json [file]', 'as JSON')
    .action((options: TryoutOptions) => tryoutCommand(options).catch(complain));
}

/** Talks that are stored. */
function addConversationCommands(program: Command): void {
  const conversations = program
    .command('conversations')
    .description('stored conversations: list, show ID, export ID')
    .option('--limit <count>', 'how many to list', number('limit', 1, 500), 20)
    .option('--json', 'as JSON')
    .action((options: { limit: number; json?: boolean }) => listConversations(options).catch(complain));
  conversations
    .command('show')
    .description('the turns of one, with their times')
    .argument('<id>', 'or its beginning')
    .action((id: string) => showConversation(id, conversations.opts()).catch(complain));
  conversations
    .command('export')
    .description('everything that is kept of one: JSON, journal, WAV, WebVTT, text')
    .argument('<id>', 'or its beginning')
    .option('--to <folder>', 'where; by default conversation-ID')
    .action((id: string, options: { to?: string }) => exportConversation(id, options).catch(complain));

  program
    .command('replay')
    .description('replay a talk with other turn-taking settings')
    .argument('<id>', 'or its beginning')
    .option('--manners <file>', 'a YAML file of manners, such as "leewayMs: 400"; without it, with its own')
    .option('--json', 'as JSON')
    .action((id: string, options: { manners?: string; json?: boolean }) =>
      replayConversation(id, options).catch(complain),
    );
}

function allCommands(): Command {
  const program = new Command('verbalon')
    .description(
      'Voice assistants on your own machine: live hearing, a model that streams, a voice that can be interrupted.',
    )
    .version(versionOf(), '--version', 'which version this is')
    .exitOverride()
    .configureOutput({
      writeOut: (text) => terminal.stdout.write(text),
      writeErr: (text) => terminal.stderr.write(text),
    })
    .showHelpAfterError('(try --help)')
    .addHelpText('after', '\nExit codes: 0 done, 1 failed, 2 called wrongly, 3 no service answers.');
  addServiceCommands(program);
  addTalkCommands(program);
  addLineCommand(program, number);
  addSoundCommand(program);
  addTaskCommands(program);
  addEngineCommands(program);
  addErrandsCommand(program, number);
  addMessagesCommands(program, number);
  addPhoneCommands(program, number);
  addKeysCommands(program, number);
  addConversationCommands(program);
  return program;
}

/**
 * Runs a command. @param args as they are typed, without the program
 * @returns its exit code
 */
export async function main(args: readonly string[], where: Terminal): Promise<number> {
  useTerminal(where);
  try {
    await allCommands().parseAsync(args, { from: 'user' });
    return terminal.exitCode;
  } catch (error) {
    if (error instanceof CommandFailed) return error.exitCode;
    if (!(error instanceof CommanderError)) throw error;
    // Help and the version are no faults, and were written already.
    return error.exitCode === 0 ? 0 : EXIT.usage;
  }
}
