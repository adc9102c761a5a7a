/** What a page and the button say to each other. */
import type { PageHooks } from '@verbalon/client';
import type { ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';

/** How it stands with the button: each has a shape, a light and a word of its own. */
export type State = 'off' | 'beginning' | 'listening' | 'thinking' | 'answering' | 'resting' | 'trouble';

/** Where the page's token comes from: itself, or somebody who fetches one for each talk. */
export type TokenSource = string | (() => Promise<string>);

/** Something that an errand wants done in the page. */
export type Wanted = ServiceMessageOf<'screen'>;
/** Does it. @returns whether it was done; what is thrown says that it was not */
export type PageFunction = (wanted: Wanted) => boolean | undefined | Promise<boolean | undefined>;

/** What a page may change, or hold back with null, before it counts. */
export interface Hooks extends Omit<PageHooks, 'chat'> {
  /** What is about to be written into a field. */
  written?: (text: string, field: string) => string | null;
}
/** The page's own chat, where it is the model: words in, an answer out, whole or in pieces. */
export type Chat = NonNullable<PageHooks['chat']>;

/** What a talk tells the button. */
export interface Told {
  state: State;
  floor: 'open' | 'press' | 'once';
  /** When it rests, a voice wakes it; else a press does. */
  wakesByVoice: boolean;
  /** What the caller says just now, or said last. */
  words: string;
  /** What the assistant says. */
  answer: string;
  /** Both sides' sound and words are kept. */
  recorded: boolean;
  trouble: { title: string; detail: string; remedy: string } | null;
}

/** A talk of the button's, loaded when it is pressed. */
export interface Talk {
  press(): void;
  release(): void;
  hush(): void;
  type(text: string): void;
  end(): void;
  /** Takes back what was dictated last. */
  undo(): void;
}

export interface TalkOptions {
  service: string;
  assistant: string | undefined;
  floor: 'open' | 'press' | 'once' | undefined;
  token: TokenSource | null;
  /** Who talks, and values of the page's own; believed only where a token says so. */
  caller: { name?: string; values?: Record<string, string> } | undefined;
  /** Dictation goes into this field. */
  field: HTMLInputElement | HTMLTextAreaElement | null;
  /** An errand's slots go into the fields of this form. */
  form: HTMLFormElement | null;
  functions: ReadonlyMap<string, PageFunction>;
  hooks: Hooks;
  chat: Chat | null;
  told: (told: Told) => void;
  message: (message: ServiceMessage) => void;
}
