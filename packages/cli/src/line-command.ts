/** `verbalon line`: what it is called with. */
import type { Command } from 'commander';
import { complain } from './complain.js';
import { deviceLineCommand, type DeviceLineOptions } from './device-line.js';

export function addLineCommand(
  program: Command,
  count: (name: string, least: number, most: number) => (text: string) => number,
): void {
  program
    .command('line')
    .description(
      'a talk for a box of your own with a button, a light and a display: lines of JSON (docs/devices.md)',
    )
    .argument('[assistant]', 'its name; by default the project’s own')
    .requiredOption('--device', 'what it is a line for')
    .option('--columns <count>', 'characters on a line of the display', count('columns', 8, 80), 24)
    .option('--socket <path>', 'a Unix socket, in place of standard input and output')
    .option('--hear <path>', 'a pipe with the microphone’s sound: 16-bit samples, 16 kHz, one channel')
    .option('--speak <path>', '… and one for the loudspeaker’s')
    .option('--input <name>', 'the microphone; verbalon sound lists them')
    .option('--output <name>', 'the loudspeaker')
    .option('--headphones', 'the microphone does not hear the loudspeaker')
    .option('--language <tag>', 'the caller’s language (BCP 47)')
    .action((assistant: string | undefined, options: DeviceLineOptions) =>
      deviceLineCommand(assistant, options).catch(complain),
    );
}
