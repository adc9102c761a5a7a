/** The custom element: small until it is pressed, then the talk beside it. */
import type { ServiceMessage } from '@verbalon/protocol';
import type { Hooks, Chat, PageFunction, Talk, TalkOptions, Told, TokenSource } from './contract.js';
import { SHAPES, STYLE } from './style.js';

const WORDS: Record<Told['state'], string> = {
  off: 'Talk',
  beginning: 'One moment',
  listening: 'Listening',
  thinking: 'Thinking',
  answering: 'Answering',
  resting: 'Resting: press to talk',
  trouble: 'That did not work',
};
const TOLD_KEY = 'verbalon-told-where';
const WAKES_BY_VOICE = 'Resting: speak and it wakes';
const OFF: Told = {
  state: 'off',
  floor: 'open',
  wakesByVoice: true,
  words: '',
  answer: '',
  recorded: false,
  trouble: null,
};
const FRAME = `
  <div class="row">
    <button class="main" part="button" type="button"><svg viewBox="0 0 24 24" aria-hidden="true"></svg></button>
    <span class="word" part="word" role="status"></span>
    <button class="small stop" part="stop" type="button" hidden>Stop</button>
    <button class="small undo" part="undo" type="button" hidden>Undo</button>
    <button class="small more" part="more" type="button" aria-expanded="false" hidden>More</button>
  </div>
  <div class="words" part="words" aria-live="polite"></div>
  <div class="answer" part="answer" aria-live="polite"></div>
  <div class="trouble" part="trouble" role="alert"></div>
  <div class="where" part="where"></div>
  <section class="panel" part="panel" aria-label="Talk" hidden>
    <ul class="said" part="said"></ul>
    <div class="row"><input part="input" aria-label="Type what you want to say" maxlength="4000" /><button class="small send" type="button">Send</button></div>
  </section>`;

let sheet: CSSStyleSheet | null = null;

/** Where this script came from: there is the service, unless `service` says otherwise. */
const SCRIPT_ORIGIN = new URL(import.meta.url).origin;

/** What a page's script set before this one was there: it counts. */
function early<K extends 'token' | 'caller' | 'hooks' | 'chat'>(
  button: VerbalonButton,
  key: K,
): VerbalonButton[K] | undefined {
  return button[key];
}

export class VerbalonButton extends HTMLElement {
  static readonly observedAttributes = ['label'];
  /**
   * A token, or what fetches one for each talk; without it, the page's own origin must be named by the
   * assistant.
   */
  token: TokenSource | null = early(this, 'token') ?? null;
  /** Who talks, as far as this page knows. */
  caller: TalkOptions['caller'] = early(this, 'caller');
  /** May change, or hold back, what was heard, is to be spoken, or is to be written into a field. */
  hooks: Hooks = early(this, 'hooks') ?? {};
  /** The page's own chat, where it is the model. */
  chat: Chat | null = early(this, 'chat') ?? null;
  private readonly functions = new Map<string, PageFunction>();
  private talk: Talk | null = null;
  private told = OFF;
  /** Talks that were begun or ended: what is loaded for an earlier one is let go. */
  private attempts = 0;
  /** Where what is spoken goes, as long as that is to be said. */
  private where = '';
  private readonly root = this.attachShadow({ mode: 'open' });

  /** An errand may call this function of the page by its name. */
  offer(name: string, does: PageFunction): void {
    this.functions.set(name, does);
  }

  connectedCallback(): void {
    if (!this.root.firstChild) this.build();
    this.show(this.told);
  }

  disconnectedCallback(): void {
    this.stop();
  }

  attributeChangedCallback(): void {
    if (this.root.firstChild) this.show(this.told);
  }

  /** Begins a talk, as the button does. */
  async start(): Promise<void> {
    if (this.talk || this.told.state === 'beginning') return;
    const attempt = ++this.attempts;
    this.show({ ...OFF, state: 'beginning' });
    this.tellWhere();
    try {
      const { beginTalk } = await import('./talk.js');
      const talk = await beginTalk(this.options(attempt));
      // It was ended in the meantime, or could not begin.
      if (attempt !== this.attempts || this.told.state === 'trouble') return talk.end();
      this.talk = talk;
      this.controls();
    } catch (error) {
      if (attempt !== this.attempts) return;
      const title = error instanceof Error ? error.message : String(error);
      this.show({ ...OFF, state: 'trouble', trouble: { title, detail: '', remedy: '' } });
    }
  }

  /** Ends the talk. */
  stop(): void {
    this.attempts++;
    this.talk?.end();
    this.talk = null;
    this.show(this.told.state === 'trouble' ? this.told : { ...this.told, state: 'off' });
  }

  /** Says this for the caller: typed, or heard by ears of the page's own. */
  say(text: string): void {
    this.talk?.type(text);
  }

  private get service(): string {
    return this.getAttribute('service') ?? SCRIPT_ORIGIN;
  }

  private options(attempt: number): TalkOptions {
    const floor = this.getAttribute('floor');
    const field = this.named<HTMLInputElement | HTMLTextAreaElement>(
      'for',
      'text field',
      HTMLInputElement,
      HTMLTextAreaElement,
    );
    const form = this.named('form', 'form', HTMLFormElement);
    if (floor !== null && floor !== 'open' && floor !== 'press' && floor !== 'once')
      throw new Error(`floor="${floor}" is not one of open, press, once`);
    return {
      service: this.service,
      assistant: this.getAttribute('assistant') ?? undefined,
      floor: floor ?? (field ? 'open' : undefined),
      token: this.token ?? this.getAttribute('token'),
      caller: this.caller,
      field,
      form,
      functions: this.functions,
      hooks: this.hooks,
      chat: this.chat,
      told: (told) => attempt === this.attempts && this.heard(told),
      message: (message) => attempt === this.attempts && this.tell(message),
    };
  }

  /** The element that an attribute names; null where it is not set. @throws Error for one of another kind */
  private named<E extends Element>(attribute: string, what: string, ...kinds: (new () => E)[]): E | null {
    const id = this.getAttribute(attribute);
    if (id === null) return null;
    const found = (this.getRootNode() as Document | ShadowRoot).getElementById(id);
    if (kinds.some((kind) => found instanceof kind)) return found as unknown as E;
    throw new Error(`${attribute}="${id}" names no ${what} of this page`);
  }

  private heard(told: Told): void {
    if (told.state === 'off' || told.state === 'trouble') this.talk = null;
    this.show(told);
  }

  /** Everything that the service says is an event `verbalon`, and its `detail` the message. */
  private tell(message: ServiceMessage): void {
    this.dispatchEvent(new CustomEvent('verbalon', { detail: message, bubbles: true, composed: true }));
    if (message.kind === 'turn') this.list(message.report.text, message.report.heard);
  }

  private inside<E extends Element = HTMLElement>(selector: string): E {
    return this.root.querySelector<E>(selector)!;
  }

  private build(): void {
    if (!sheet) {
      sheet = new CSSStyleSheet();
      sheet.replaceSync(STYLE);
    }
    this.root.adoptedStyleSheets = [sheet];
    this.root.innerHTML = FRAME;
    // The label beside it is part of the button.
    for (const part of [this.inside('.main'), this.inside('.word')]) {
      part.addEventListener('click', (event) => this.pressed(event));
      part.addEventListener('pointerdown', () => this.holds && this.talk?.press());
      part.addEventListener('pointerup', () => this.holds && this.talk?.release());
    }
    this.inside('.stop').addEventListener('click', () => this.stop());
    this.inside('.undo').addEventListener('click', () => this.talk?.undo());
    this.inside('.more').addEventListener('click', () => this.open(!this.hasAttribute('open')));
    // No form of its own: within a form of the page there may be no other.
    const input = this.inside<HTMLInputElement>('input');
    const send = () => {
      if (input.value.trim() !== '') this.say(input.value.trim());
      input.value = '';
    };
    this.inside('.send').addEventListener('click', send);
    input.addEventListener('keydown', (event) => event.key === 'Enter' && send());
    this.root.addEventListener(
      'keydown',
      (event) => (event as KeyboardEvent).key === 'Escape' && this.talk?.hush(),
    );
  }

  /** The button is held down to talk. */
  private get holds(): boolean {
    return this.talk !== null && this.told.floor === 'press';
  }

  private pressed(event: Event): void {
    if (!this.talk) return void this.start();
    // By keyboard there is no holding: a press begins the turn, and the next one ends it.
    if (this.holds) {
      if ((event as PointerEvent).pointerType !== '' && (event as PointerEvent).pointerType !== undefined)
        return;
      this.talk.press();
      return this.talk.release();
    }
    if (this.told.state === 'answering') return this.talk.hush();
    if (this.told.floor === 'once' || (this.told.state === 'resting' && !this.told.wakesByVoice)) {
      this.talk.press();
      return this.talk.release();
    }
    this.stop();
  }

  private open(open: boolean): void {
    this.toggleAttribute('open', open);
    this.inside('.panel').hidden = !open;
    this.inside('.more').setAttribute('aria-expanded', String(open));
    if (open) this.inside('input').focus();
  }

  /** Said once on this browser: where what is spoken goes. */
  private tellWhere(): void {
    const host = new URL(this.service).host;
    let told: string | null = null;
    try {
      told = localStorage.getItem(TOLD_KEY);
      localStorage.setItem(TOLD_KEY, host);
    } catch {
      // A page without storage is told each time.
    }
    this.where = told === host ? '' : `What you say goes to ${host}.`;
  }

  private show(told: Told): void {
    this.told = told;
    if (!this.root.firstChild) return;
    const { state, wakesByVoice, words, answer, recorded, trouble } = told;
    const label =
      this.getAttribute('label') ??
      (this.hasAttribute('for') ? 'Dictate' : this.hasAttribute('form') ? 'Fill in by voice' : 'Talk');
    this.setAttribute('state', state);
    this.inside('svg').innerHTML = SHAPES[state];
    const word =
      state === 'off' ? label : state === 'resting' && wakesByVoice ? WAKES_BY_VOICE : WORDS[state];
    this.inside('.word').textContent = word;
    this.inside('.main').setAttribute('aria-label', state === 'off' ? label : `${label}: ${word}`);
    this.inside('.main').setAttribute('aria-pressed', String(state !== 'off' && state !== 'trouble'));
    this.inside('.words').textContent = words;
    this.inside('.answer').textContent = answer;
    this.inside('.where').textContent = [this.where, recorded ? 'This conversation is recorded.' : '']
      .join(' ')
      .trim();
    this.inside('.trouble').textContent = trouble ? sentenceOf(trouble) : '';
    this.controls();
  }

  private controls(): void {
    const isOn = this.talk !== null;
    this.inside('.stop').hidden = !isOn;
    this.inside('.undo').hidden = !isOn || !this.hasAttribute('for');
    this.inside('.more').hidden = !isOn || this.hasAttribute('for');
    if (!isOn) this.open(false);
  }

  private list(said: string, answer: string): void {
    const line = (text: string, kind: string) => {
      const item = document.createElement('li');
      item.className = kind;
      item.textContent = text;
      if (text !== '') this.inside('.said').append(item);
    };
    line(said, 'of-caller');
    line(answer, 'of-assistant');
  }
}

/** Of a trouble what there is to be read. */
function sentenceOf({ title, detail, remedy }: NonNullable<Told['trouble']>): string {
  const what = detail === '' ? title : `${title}: ${detail}`;
  return [what.replace(/\.?$/, '.'), remedy].filter(Boolean).join(' ');
}
