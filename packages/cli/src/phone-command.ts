/**
 * `verbalon phone`: where the telephone can be rung, its calls and how each went; ringing somebody; hanging
 * up.
 */
import type { PhoneCallView, PhoneView } from '@verbalon/protocol';
import type { Command } from 'commander';
import { complain } from './complain.js';
import { terminal } from './terminal.js';
import { service } from './service-address.js';

const say = (text: string) => terminal.stdout.write(`${text}\n`);

export function addPhoneCommands(
  program: Command,
  count: (name: string, least: number, most: number) => (text: string) => number,
): void {
  const phone = program
    .command('phone')
    .description('the telephone: registrations and calls; phone ring ADDRESS WORDS, phone hang-up ID')
    .option('--limit <count>', 'how many calls', count('limit', 1, 200), 10)
    .option('--json', 'as JSON')
    .action((options: { limit: number; json?: boolean }) => show(options).catch(complain));
  phone
    .command('ring')
    .description('ring somebody, say this first, and then talk')
    .argument('<address>', 'a SIP address, or a number at the first registration’s provider')
    .argument('<words...>', 'what is said first: who it is, and why')
    .option('--assistant <name>', 'who talks')
    .option('--keys <keys>', 'keys that are pressed when it is answered')
    .action((to: string, words: string[], options: { assistant?: string; keys?: string }) =>
      ring(to, words.join(' '), options).catch(complain),
    );
  phone
    .command('hang-up')
    .description('end a call')
    .argument('<id>')
    .action((id: string) => hangUp(id).catch(complain));
}

async function show({ limit, json }: { limit: number; json?: boolean }): Promise<void> {
  const phone = await service().telephone.view();
  const calls = phone.calls.slice(0, limit);
  if (json) return void say(JSON.stringify({ ...phone, calls }));
  printPhone(phone);
  for (const call of calls) printCall(call);
}

function printPhone({
  address,
  tlsAddress,
  trouble,
  changed,
  numbers,
  registrations,
  strangers,
  calls,
}: PhoneView): void {
  if (changed)
    say('“phone:” of project.yaml was changed: stop the service and start it again, and it is in use.');
  if (trouble !== null) say(`The telephone cannot be used: ${trouble}`);
  else if (address === null && !changed)
    say('No telephone is set up: write "phone:" into project.yaml (docs/telephone.md).');
  else if (address !== null)
    say(`The telephone can be rung at ${address}${tlsAddress === null ? '' : ` and ${tlsAddress}`}`);
  for (const [number, assistant] of Object.entries(numbers)) say(`  ${number.padEnd(12)} ${assistant}`);
  for (const { at, user, state, detail } of registrations)
    say(`  ${user} at ${at}: ${state}${detail === '' ? '' : `, ${detail}`}`);
  for (const one of strangers)
    say(`  ${one} rang and may not: name it under "phone: peers:" in project.yaml if it may`);
  if (address !== null && calls.length === 0 && strangers.length === 0) say('Nobody has rung yet.');
}

function printCall({ id, direction, from, to, assistant, stages, sound, conversation }: PhoneCallView): void {
  say('');
  say(
    `${direction === 'in' ? `${from} rang ${to || 'without a number'}` : `${to} was rung`}, ${assistant}  (${id})`,
  );
  for (const { stage, at, detail } of stages)
    say(`  ${new Date(at).toLocaleTimeString('sv')}  ${stage.padEnd(9)}  ${detail}`.trimEnd());
  if (sound)
    say(
      `  sound      ${sound.codec}, ${sound.received} packets came (${sound.missing} missing, ${sound.late} late, jitter ${sound.jitterMs} ms), ${sound.sent} went`,
    );
  if (conversation !== null) say(`  talk       verbalon conversations show ${conversation}`);
}

async function ring(
  to: string,
  words: string,
  options: { assistant?: string; keys?: string },
): Promise<void> {
  const { id } = await service().telephone.ring({ to, say: words, ...options });
  say(`It rings. How it goes: verbalon phone  (${id})`);
}

async function hangUp(id: string): Promise<void> {
  await service().telephone.hangUp(id);
  say('It is over.');
}
