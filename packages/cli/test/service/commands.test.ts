/**
 * One engine at a time, stored conversations, and the terminal as a place to talk, with a sound system of our
 * own.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawn, spawnSync, type ChildProcessWithoutNullStreams } from 'node:child_process';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { callWithRecording } from '@verbalon/client/node';
import { pcm16Bytes, readWav, toPcm16 } from '@verbalon/core';
import { startPulse, type Pulse } from '../../../../testing/pulse.js';
import {
  cli,
  freshFolder,
  root,
  patientWalker,
  truth,
  until,
  verbalon,
  walker,
  linesFor,
} from '../../../../testing/service.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

let service: SharedService;
let pulse: Pulse;
let env: Record<string, string>;
const folder = freshFolder();
const recording = (name: string) => join(root, 'demo/recordings', `${name}.wav`);
const sound = (name: string) => join(root, 'testing/sounds', name);
const run = (...args: string[]) => verbalon(args, env);

beforeAll(async () => {
  [service, pulse] = await Promise.all([sharedDemo(), startPulse()]);
  pulse.addSink('quiet');
  pulse.addSink('speaker');
  env = { VERBALON_URL: service.address, ...pulse.env };
});
afterAll(async () => {
  pulse.stop();
});

describe('one engine at a time', () => {
  it('transcribe writes text, JSON or WebVTT, of several files, and goes on after one that cannot be read', async () => {
    const broken = join(folder, 'broken.flac');
    writeFileSync(broken, readFileSync(sound('bunks.flac')).subarray(0, 30_000));
    const several = await run('transcribe', sound('bunks.mp3'), broken, sound('bunks.webm'));
    expect(several.code).toBe(1);
    expect(several.out).toBe(
      'bunks.mp3: How many bunks are free at Heron Hut on Saturday?\nbunks.webm: How many bunks are free at Heron Hut on Saturday?\n',
    );
    expect(several.err).toMatch(/broken\.flac: .*\[sound-cut-short\]\n→ /);
    expect((await run('transcribe', '--spoken', sound('bunks.mp3'))).out).toBe(
      'how many bunks are free at heron hut on saturday\n',
    );
    expect((await run('transcribe', '--format', 'vtt', sound('bunks.mp3'))).out).toMatch(
      /^WEBVTT\n\n00:00:00\.\d{3} --> 00:00:03\.\d{3}\nHow many bunks/,
    );
    expect(JSON.parse((await run('transcribe', '--format', 'json', sound('bunks.mp3'))).out)).toMatchObject({
      engine: 'ears',
      assistant: 'tansy',
    });
  });

  it('aloud writes a file or plays; voices lists; ask answers', async () => {
    const file = join(folder, 'said.wav');
    const said = await run('aloud', 'Supper is at six.', '--to', file, '--voice', 'dunlin', '--pitch', '120');
    expect(said).toMatchObject({
      code: 0,
      out: '',
      err: expect.stringMatching(/^1\.\d s of sound; the first of it after \d+ ms, all after \d+ ms\n$/),
    });
    expect(readWav(readFileSync(file)).rateHz).toBe(16_000);
    expect((await run('aloud', 'Hello.', '--output', 'speaker')).code).toBe(0);
    expect((await run('aloud', '🍲')).err).toContain('[text-unspeakable]');
    expect((await run('voices')).out).toMatch(
      /^linnet +voice, en, of chat and echo and porch-only and tansy$/m,
    );
    expect((await run('ask', 'Who is the warden of Saddle Hut?')).out).toBe(
      'The warden of Saddle Hut is Tomas Reed.\n',
    );
    expect((await run('ask', 'Where are the blankets?', '--assistant', 'porch')).out).toMatch(
      /^Blankets are/,
    );
  });

  it('standard input and output, other engines, and a whole exchange', async () => {
    const piped = (args: string[], input: Buffer | string) => verbalon(args, env, input);
    const bytes = readFileSync(sound('bunks.mp3'));
    expect((await piped(['transcribe', '-', '--json'], bytes)).out).toContain('"engine": "ears"');
    expect((await run('transcribe', '--engine', 'nobody', sound('bunks.mp3'))).err).toContain(
      '[engine-unknown]',
    );
    expect((await piped(['ask', '-', '--engine', 'desk'], 'Who is the warden of Saddle Hut?')).out).toMatch(
      /Tomas Reed/,
    );
    const said = await piped(['aloud', '-', '--to', '-'], 'Supper is at six.');
    expect(readWav(said.bytes).rateHz).toBe(16_000);
    const file = join(folder, 'answer.wav');
    const told = await run('exchange', sound('bunks.mp3'), '--to', file);
    expect(told.out).toBe(
      'How many bunks are free at Heron Hut on Saturday?\n→ There are four bunks free at Heron Hut on Saturday.\n',
    );
    expect(told.err).toMatch(/go on with --conversation \S+/);
    expect(readWav(readFileSync(file)).channels[0]!.length).toBeGreaterThan(16_000);
  });

  it('a typed talk needs no microphone: a line that is piped is a turn', () => {
    const talk = (...args: string[]) =>
      spawnSync(process.execPath, [cli, 'talk', ...args], {
        env: { ...process.env, ...env },
        stdio: [linesFor('where are the blankets\ngoodbye\n'), 'pipe', 'pipe'],
        encoding: 'utf8',
      });
    const told = talk('porch');
    expect(told.status).toBe(0);
    expect(told.stdout).toMatch(/Blankets are[^]*Goodbye/);
    expect(told.stdout).not.toContain('gap');
    const messages = talk('porch', '--type', '--json')
      .stdout.trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { kind: string; report?: { text: string } });
    const turns = messages.flatMap(({ kind, report }) => (kind === 'turn' && report ? [report.text] : []));
    expect(turns.slice(-2)).toEqual(['where are the blankets', 'goodbye']);
  });

  it('languages says what each engine knows, and what there are rules for', async () => {
    const { out } = await run('languages');
    expect(out).toMatch(/✓ en {2}English\n +hears +.*ears/);
    expect(out).toMatch(/✓ de {2}German\n +hears +alder-ears/);
    expect(out).toMatch(/· fr {2}French \(no rules: pauses decide/);
    expect(out).toMatch(/✓ pocketsphinx-en-us/);
  });

  it('listen --once writes the text of one turn', async () => {
    const heard = await run('listen', '--once', '--from', recording('miller-asks'));
    expect(heard).toMatchObject({ code: 0, out: 'Hello Tansy, is the path over the saddle open today\n' });
  });

  it('sound lists devices, checks the level, and finds its own echo; without a device it says what to do', async () => {
    const found = JSON.parse(
      (
        await run(
          'sound',
          '--json',
          '--echo',
          '--seconds',
          '1',
          '--input',
          'quiet.monitor',
          '--output',
          'quiet',
        )
      ).out,
    ) as {
      inputs: { name: string }[];
      level: { verdict: string };
      echo: { delayMs: number; levelDb: number };
    };
    expect(found.inputs.map(({ name }) => name)).toEqual(['quiet.monitor', 'speaker.monitor']);
    expect(found.level.verdict).toMatch(/^nothing at all: it is muted/);
    expect(Math.abs(found.echo.levelDb)).toBeLessThan(6);
    expect(found.echo.delayMs).toBeLessThan(600);
    const none = await verbalon(['sound'], { ...env, PULSE_RUNTIME_PATH: folder, XDG_RUNTIME_DIR: folder });
    expect(none).toMatchObject({
      code: 1,
      err: expect.stringMatching(/\[microphone-silent\]\n→ Plug one in/),
    });
  });
});

describe('stored conversations', () => {
  it('are listed, shown and exported in open formats', async () => {
    const { conversation } = await callWithRecording({
      address: service.address,
      ...patientWalker('baker-interrupts', 13),
    });
    await until(async () => (await service.http.conversation(conversation)).endedAt !== null);
    const short = conversation.slice(0, 8);
    expect((await run('conversations')).out).toMatch(
      new RegExp(`^${short}  \\d{4}-.*tansy +recording +\\d turns`, 'm'),
    );
    const shown = (await run('conversations', 'show', short)).out;
    expect(shown).toMatch(/caller +Tell me about the huts\.\n/);
    expect(shown).toMatch(/interrupted \(the caller said "wait/);
    expect((await run('replay', short)).out).toMatch(/decides exactly as it did/);
    writeFileSync(join(folder, 'patient.yaml'), 'leewayMs: 2000\nheadStarts: 0\n');
    const patient = (await run('replay', short, '--manners', join(folder, 'patient.yaml'))).out;
    expect(patient).toMatch(/head starts +1 +none/);
    expect((await run('replay', short, '--manners', join(folder, 'none.yaml'))).err).toContain(
      '[manners-unreadable]',
    );
    const to = join(folder, 'exported');
    expect((await run('conversations', 'export', short, '--to', to)).code).toBe(0);
    expect(readdirSync(to).sort()).toEqual([
      'audio.wav',
      'captions.vtt',
      'conversation.json',
      'journal.ndjson',
      'words.txt',
    ]);
    const captions = readFileSync(join(to, 'captions.vtt'), 'utf8');
    expect(captions).toMatch(/<v caller>Tell me about the huts/);
    expect(captions).toMatch(/<v assistant>Supper at Lantern Hut/);
    expect((await run('conversations', 'show', 'nothing')).err).toContain('[conversation-unknown]');
  });
});

/** A saying of a walker as raw sound. */
function saying(name: string, index: number): Uint8Array {
  const { channels, rateHz } = readWav(walker(name));
  const { fromMs, toMs } = truth(name)[index]!;
  return pcm16Bytes(toPcm16(channels[0]!.subarray((fromMs * rateHz) / 1000, ((toMs + 400) * rateHz) / 1000)));
}

/** A program in a terminal of its own, and everything that it has drawn. */
function inTerminal(args: string): { child: ChildProcessWithoutNullStreams; drawn: () => string } {
  const command = `stty cols 110 rows 30; exec ${process.execPath} ${cli} ${args}`;
  const child = spawn('script', ['-qefc', command, '/dev/null'], {
    // Where tests run unattended, programs draw nothing until they end.
    env: { ...process.env, ...env, TERM: 'xterm-256color', CI: 'false' },
  });
  let text = '';
  child.stdout.setEncoding('utf8').on('data', (part: string) => (text += part));
  return { child, drawn: () => text.replace(/\u001b\[[0-9;?]*[A-Za-z]/g, '') };
}

describe('talking in a terminal', () => {
  it('by microphone, also after the microphone went away and came back', async () => {
    const child = spawn(
      process.execPath,
      [cli, 'talk', '--plain', '--headphones', '--input', 'quiet.monitor', '--output', 'speaker'],
      { env: { ...process.env, ...env } },
    );
    let out = '';
    let err = '';
    child.stdout.setEncoding('utf8').on('data', (part: string) => (out += part));
    child.stderr.setEncoding('utf8').on('data', (part: string) => (err += part));
    const heard = (holds: () => boolean) => until(holds, () => out + err);
    await heard(() => out.includes('How can I help you?'));
    await pulse.play('quiet', saying('miller-asks', 2));
    await heard(() => /caller +And at Rowan Hut/.test(out));
    pulse.removeSinks();
    await heard(() => err.includes('the microphone went away'));
    pulse.addSink('quiet');
    pulse.addSink('speaker');
    await heard(() => err.includes('the microphone is back'));
    await pulse.play('quiet', saying('miller-asks', 1));
    await heard(() => /caller +How many bunks are free at Heron Hut on Saturday/.test(out));
    await heard(() => out.includes('free at Heron Hut on Saturday.'));
    child.stdin.write('/leave\n');
    const [code] = await new Promise<[number]>((done) => child.on('close', (one: number) => done([one])));
    expect(code).toBe(0);
  });

  it('on the full screen: state, both sides’ words, level, times and keys; Ctrl-C leaves', async () => {
    const { child, drawn } = inTerminal(`talk --from ${recording('miller-asks')}`);
    await until(() => /● Listening/.test(drawn()) && drawn().includes('Ask about paths, bunks and meals'));
    await until(() => drawn().includes('you Hello Tansy, is the path over the saddle open today?'));
    for (const words of ['this talk is recorded', '◆ Answering', 'gap ', '░ wait ', 'Esc hushes'])
      expect(drawn()).toContain(words);
    expect(drawn()).toMatch(/-\d\d dB/);
    child.stdin.write('What time is breakfast\r');
    await until(() => drawn().includes('you What time is breakfast'));
    child.stdin.write('\u0003');
    await new Promise((done) => child.on('close', done));
  });

  it('as a device with one button, a light and two lines', async () => {
    const { child, drawn } = inTerminal('talk porch --device --input quiet.monitor --output speaker');
    await until(() => /│ Hold the button and ask +│/.test(drawn()));
    child.stdin.write(' ');
    await until(() => /● green/.test(drawn()) && /│ Listening +│/.test(drawn()));
    await pulse.play('quiet', saying('miller-asks', 1));
    child.stdin.write(' ');
    await until(() => /│ There are four bunks +│/.test(drawn()));
    expect(drawn()).toContain('◆ violet');
    child.stdin.write('\u0003');
    await new Promise((done) => child.on('close', done));
    expect((await service.http.conversations())[0]).toMatchObject({ line: 'device', assistant: 'porch' });
  });
});
