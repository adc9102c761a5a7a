/** Writes a talk as it happens: both sides' words, what is going on, and where the time of each turn went. */
import type { ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import { terminal, type Terminal } from './terminal.js';

type Report = ServiceMessageOf<'turn'>['report'];

const dim = (text: string) => (terminal.stdout.isTTY ? `\u001b[2m${text}\u001b[0m` : text);

export class TalkPrinter {
  private openLine = false;
  private assistant = 'assistant';
  private turnText = '';
  /** What the assistant is about to say, by speech: it stands where it begins to be heard. */
  private readonly waiting = new Map<number, string>();

  constructor(
    private readonly purpose: 'talk' | 'listen' = 'talk',
    private readonly out: Terminal['stdout'] = terminal.stdout,
  ) {}

  show(message: ServiceMessage): void {
    switch (message.kind) {
      case 'admitted':
        this.assistant = message.assistant ?? 'words only';
        this.line(
          message.atMs,
          '·',
          dim(
            `${this.purpose === 'listen' ? 'listening as' : 'talking to'} ${this.assistant}${message.recorded ? '; this talk is recorded' : ''}`,
          ),
        );
        return;
      case 'partial':
        return this.provisional(message);
      case 'final':
        this.turnText = [this.turnText, message.text].filter(Boolean).join(' ');
        return this.line(
          message.atMs,
          'caller',
          message.text === '' ? dim('(no word understood)') : message.text,
        );
      case 'speech':
        // Told ahead, in the order in which their sound is ready; and again when its words' times are known
        // better.
        if (!this.waiting.has(message.speech)) this.waiting.set(message.speech, message.text);
        return;
      case 'relieved':
        return this.line(
          message.atMs,
          '·',
          dim(`${message.to} took over from ${message.from}${message.why === '' ? '' : `: ${message.why}`}`),
        );
      case 'duck':
        return this.line(message.atMs, '·', dim('the caller speaks over it: quieter'));
      case 'hush':
        return this.line(message.atMs, '·', dim('hushed'));
      case 'errand':
        return this.errand(message);
      case 'screen':
        return this.screen(message);
      case 'handOver':
        return this.line(message.atMs, '·', dim('a person is to take over'));
      case 'person':
        return this.line(
          message.atMs,
          '·',
          dim(message.name === null ? 'the assistant is back' : `${message.name} has taken over`),
        );
      case 'answerLength':
        return this.line(message.atMs, '·', dim(`answers are ${message.length} from now on`));
      case 'unheard':
        return this.line(message.atMs, '·', dim(`unheard: ${message.why}`));
      case 'turn':
        return this.times(message.atMs, message.report);
      case 'trouble':
        this.line(message.atMs, '!', [message.title, message.detail].filter(Boolean).join(': '));
        return message.remedy === '' ? undefined : this.line(message.atMs, ' ', `→ ${message.remedy}`);
      case 'fresh':
        return this.line(message.atMs, '·', dim('a fresh start: nothing is remembered'));
      case 'state':
        if (message.state === 'resting') this.line(message.atMs, '·', dim('resting'));
        return;
      case 'farewell':
        return this.line(message.atMs, '·', dim(message.why));
      default:
        return;
    }
  }

  /** A speech has begun to be heard, or goes on. */
  played(speech: number, atMs: number): void {
    const text = this.waiting.get(speech) ?? '';
    this.waiting.set(speech, '');
    if (text !== '') this.line(atMs, this.assistant, text);
  }

  private screen({ atMs, open, show, fill }: ServiceMessageOf<'screen'>): void {
    const fields = Object.entries(fill ?? {}).map(([name, value]) => `${name} = ${value}`);
    this.line(atMs, '·', [show, open && `→ ${open}`, ...fields].filter(Boolean).join('; '));
  }

  /** Shown when the caller has finished. */
  private errand({ atMs, title, stage, asking, slots, provisional }: ServiceMessageOf<'errand'>): void {
    if (provisional) return;
    const known = slots.map(({ text }) => text).join(', ');
    const next = stage === 'asking' && asking !== null ? `asks for ${asking}` : stage;
    this.line(atMs, '·', dim(`${title}: ${[known, next].filter(Boolean).join('; ')}`));
  }

  /** Provisional words are shown in place on a terminal, and not at all elsewhere. */
  private provisional({ atMs, settled, open }: ServiceMessageOf<'partial'>): void {
    if (!this.out.isTTY) return;
    const width = (this.out.columns ?? 100) - 24;
    const text = [settled, dim(open)].filter(Boolean).join(' ');
    this.out.write(`\r\u001b[K${clock(atMs)}  ${'caller'.padEnd(9)} ${text.slice(-width)}`);
    this.openLine = true;
  }

  private times(atMs: number, report: Report): void {
    const lines = timesOf(report);
    for (const text of lines) this.line(atMs, ' ', dim(text));
  }

  private line(atMs: number, who: string, text: string): void {
    if (this.openLine) this.out.write('\r\u001b[K');
    this.openLine = false;
    this.out.write(`${clock(atMs)}  ${who.padEnd(9)} ${text}\n`);
  }
}

function clock(atMs: number): string {
  const tenths = Math.round(Math.max(0, atMs) / 100);
  const seconds = ((tenths % 600) / 10).toFixed(1).padStart(4, '0');
  return `${String(Math.floor(tenths / 600)).padStart(2, '0')}:${seconds}`;
}

/** The times of a turn in a line or two. */
export function timesOf(report: Report): string[] {
  const lines: string[] = [];
  if (report.gap && report.source !== 'typed') {
    const parts = report.gap.parts.map(({ part, ms }) => `${part} ${Math.round(ms)}`).join(' + ');
    lines.push(`gap ${Math.round(report.gap.ms)} ms = ${parts}`);
  }
  for (const { put, heard } of report.bySound ?? [])
    lines.push(`put right by sound: "${put}", heard as "${heard}"`);
  for (const { errand, stage } of report.errands ?? []) lines.push(`errand ${errand}: ${stage}`);
  if (report.interrupted) lines.push(`interrupted (${report.interrupted}); heard: "${report.heard}"`);
  return lines;
}
