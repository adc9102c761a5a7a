/** The service's HTTP interface, typed. */
import type {
  AloudRequest,
  AskAnswer,
  AskRequest,
  AssistantSummary,
  AuditEntry,
  KeyRequest,
  KeySummary,
  NewKey,
  NewToken,
  TokenRequest,
  Visit,
  ContactSummary,
  Conversation,
  ConversationSummary,
  EngineSummary,
  DayCost,
  EngineCheck,
  ErrandSummary,
  Exchanged,
  EditableKind,
  FileSummary,
  JournalEntry,
  May,
  MessageSummary,
  ProjectState,
  ProjectText,
  RecordingSummary,
  Replayed,
  RunSummary,
  Shape,
  TalkCost,
  TranscriptionEvent,
  TriedErrand,
  Tryout,
  ViewLink,
  TryoutRequest,
  TryoutSummary,
  VoiceSummary,
  WaitingCaller,
} from '@verbalon/protocol';
import { Asking, ServiceError, post, uploadOf } from './asking.js';
import { TelephoneClient } from './telephone-client.js';
import { linesOf } from './lines-of.js';
import type { FileText, SaidAloud, TryoutEvent } from './service-answers.js';

export class HttpClient extends Asking {
  readonly telephone = new TelephoneClient((path, init) => this.json(path, init));

  assistants(): Promise<AssistantSummary[]> {
    return this.json('/v1/assistants');
  }

  /** What is wrong with the project's files, and what waits for another start. */
  project(): Promise<ProjectState> {
    return this.json('/v1/project');
  }

  errands(): Promise<ErrandSummary[]> {
    return this.json('/v1/errands');
  }

  /** What would come of these sayings; nothing is done. */
  tryErrand(name: string, said: string[], now?: string): Promise<TriedErrand[]> {
    return this.json(
      `/v1/errands/${name}/try`,
      post(JSON.stringify({ said, ...(now === undefined ? {} : { now }) }), 'application/json'),
    );
  }

  /** Sentences that begin it, made of its patterns. */
  errandExamples(name: string, most: number): Promise<string[]> {
    return this.json(`/v1/errands/${name}/examples?limit=${most}`);
  }

  /** What came of errands, the newest first. */
  runs(query: { errand?: string; conversation?: string; limit?: string } = {}): Promise<RunSummary[]> {
    return this.json(`/v1/runs?${queryFor(query)}`);
  }

  /** What begins it, as a grammar: SRGS, or JSGF. */
  async errandGrammar(name: string, form: 'srgs' | 'jsgf'): Promise<string> {
    return (await this.ask(`/v1/errands/${name}/grammar?form=${form}`)).text();
  }

  /** Messages of errands, the newest first. */
  messages(query: { state?: string; limit?: string } = {}): Promise<MessageSummary[]> {
    return this.json(`/v1/messages?${queryFor(query)}`);
  }

  async withdrawMessage(id: string): Promise<void> {
    await this.ask(`/v1/messages/${encodeURIComponent(id)}/withdraw`, { method: 'POST' });
  }

  async changeMessage(id: string, what: { text?: string; dueAt?: string }): Promise<void> {
    await this.ask(
      `/v1/messages/${encodeURIComponent(id)}/change`,
      post(JSON.stringify(what), 'application/json'),
    );
  }

  /** Something has happened: what waits for it goes. */
  occasion(name: string): Promise<{ messages: number }> {
    return this.json(`/v1/occasions/${name}`, { method: 'POST' });
  }

  /** Who asks, and what they may. */
  visit(): Promise<Visit> {
    return this.json('/v1/session');
  }

  /** A page of the service shows a key once, and is known by a cookie from then on. */
  signIn(key: string): Promise<Visit> {
    return this.json('/v1/session', post(JSON.stringify({ key }), 'application/json'));
  }

  async signOut(): Promise<void> {
    await this.ask('/v1/session', { method: 'DELETE' });
  }

  keys(): Promise<KeySummary[]> {
    return this.json('/v1/keys');
  }

  /** What is told of the key itself is told this once. */
  makeKey(request: KeyRequest): Promise<NewKey> {
    return this.json('/v1/keys', post(JSON.stringify(request), 'application/json'));
  }

  /** @param letFinish talks that were begun with it may go on to their end */
  async revokeKey(name: string, letFinish = false): Promise<void> {
    await this.ask(`/v1/keys/${encodeURIComponent(name)}${letFinish ? '?letFinish=yes' : ''}`, {
      method: 'DELETE',
    });
  }

  /** For a page, or a program, that is to talk with one assistant. */
  makeToken(request: TokenRequest): Promise<NewToken> {
    return this.json('/v1/tokens', post(JSON.stringify(request), 'application/json'));
  }

  /**
   * What was changed or refused, the newest first. @param before only entries before the one with this number
   */
  audit(limit: number, before?: number): Promise<AuditEntry[]> {
    return this.json(`/v1/audit?limit=${limit}${before === undefined ? '' : `&before=${before}`}`);
  }

  contacts(): Promise<ContactSummary[]> {
    return this.json('/v1/contacts');
  }

  files(): Promise<FileSummary[]> {
    return this.json('/v1/files');
  }

  /** What a new file may begin as. */
  shapes(): Promise<Shape[]> {
    return this.json('/v1/shapes');
  }

  async file(kind: EditableKind, name: string): Promise<FileText> {
    return withTag(await this.ask(fileAt(kind, name)));
  }

  /** What is wrong with a draft, if anything is. */
  checkFile(kind: EditableKind, name: string, text: string): Promise<ProjectText> {
    return this.json(`${fileAt(kind, name)}/check`, post(text, typeOf(kind)));
  }

  /** @param etag of the one that was read; null for a new one */
  async writeFile(kind: EditableKind, name: string, text: string, etag: string | null): Promise<FileText> {
    const match: Record<string, string> = etag === null ? { 'if-none-match': '*' } : { 'if-match': etag };
    const headers = { 'content-type': typeOf(kind), ...match };
    return withTag(await this.ask(fileAt(kind, name), { method: 'PUT', body: text, headers }));
  }

  async renameFile(kind: EditableKind, name: string, to: string): Promise<void> {
    await this.ask(`${fileAt(kind, name)}/rename`, post(JSON.stringify({ to }), 'application/json'));
  }

  /** @returns where a copy of it is kept, within the project's folder */
  async removeFile(kind: EditableKind, name: string): Promise<string> {
    const answer = await this.ask(fileAt(kind, name), { method: 'DELETE' });
    return ((await answer.json()) as { kept: string }).kept;
  }

  engines(): Promise<EngineSummary[]> {
    return this.json('/v1/engines');
  }

  /** A real round trip with each of these, or with all. */
  checkEngines(names?: readonly string[]): Promise<EngineCheck[]> {
    return this.json('/v1/engines/check', post(JSON.stringify(names ? { names } : {}), 'application/json'));
  }

  /** Another engine is to serve during a live talk. */
  async swap(conversation: string, role: EngineCheck['role'], engine: string): Promise<void> {
    const body = post(JSON.stringify({ role, engine }), 'application/json');
    await this.ask(`/v1/conversations/${encodeURIComponent(conversation)}/swap`, body);
  }

  /** The assistant is to hear, or to answer in, another language during a live talk. */
  async setLanguage(conversation: string, wanted: { hears?: string; speaks?: string }): Promise<void> {
    const body = post(JSON.stringify(wanted), 'application/json');
    await this.ask(`/v1/conversations/${encodeURIComponent(conversation)}/language`, body);
  }

  /** What a talk cost; `others`: what the same would have cost with these engines. */
  cost(conversation: string, others: Readonly<Record<string, string>> = {}): Promise<TalkCost> {
    const query = new URLSearchParams(others).toString();
    return this.json(`/v1/conversations/${encodeURIComponent(conversation)}/cost?${query}`);
  }

  costs(days: number): Promise<DayCost[]> {
    return this.json(`/v1/costs?days=${days}`);
  }

  /** Tells of each item when it was tried, at last of all. */
  async *tryout(request: TryoutRequest): AsyncIterable<TryoutEvent> {
    yield* linesOf<TryoutEvent>(
      await this.ask('/v1/tryouts', post(JSON.stringify(request), 'application/json')),
    );
  }

  /**
   * Sends a recording for a tryout, or the text of what was said in it. @param brought a UUID, the same for
   * all of a tryout
   */
  async bringRecording(brought: string, file: string, bytes: BodyInit): Promise<void> {
    const way = `/v1/tryouts/recordings/${brought}/${encodeURIComponent(file)}`;
    await this.ask(way, { ...uploadOf(bytes), method: 'PUT' });
  }

  tryouts(): Promise<TryoutSummary[]> {
    return this.json('/v1/tryouts');
  }

  tryoutOf(id: string): Promise<Tryout> {
    return this.json(`/v1/tryouts/${encodeURIComponent(id)}`);
  }

  /** As CSV, a row an item. */
  async tryoutTable(id: string): Promise<string> {
    return (await this.ask(`/v1/tryouts/${encodeURIComponent(id)}/table`)).text();
  }

  rate(id: string, engine: string, item: string, rating: number): Promise<Tryout> {
    const body = post(JSON.stringify({ engine, item, rating }), 'application/json');
    return this.json(`/v1/tryouts/${encodeURIComponent(id)}/rating`, body);
  }

  corrections(conversation: string): Promise<{ turn: number; text: string }[]> {
    return this.json(`/v1/conversations/${encodeURIComponent(conversation)}/corrections`);
  }

  /** What was really said in a turn; an empty text takes it back. */
  async correct(conversation: string, turn: number, text: string): Promise<void> {
    const body = { ...post(JSON.stringify({ turn, text }), 'application/json'), method: 'PUT' };
    await this.ask(`/v1/conversations/${encodeURIComponent(conversation)}/corrections`, body);
  }

  voices(): Promise<VoiceSummary[]> {
    return this.json('/v1/voices');
  }

  question(request: AskRequest): Promise<AskAnswer> {
    return this.json('/v1/ask', post(JSON.stringify(request), 'application/json'));
  }

  async aloud(request: AloudRequest): Promise<SaidAloud> {
    const answer = await this.ask('/v1/aloud', post(JSON.stringify(request), 'application/json'));
    const timing = answer.headers.get('server-timing') ?? '';
    const duration = (name: string) => Number(new RegExp(`${name};dur=([\\d.]+)`).exec(timing)?.[1] ?? 0);
    const wav = new Uint8Array(await answer.arrayBuffer());
    return { wav, firstSoundMs: duration('first'), tookMs: duration('all') };
  }

  /** The words of a recording of any usual format, as they are found. */
  async *transcribe(
    recording: BodyInit,
    who: { assistant?: string | undefined; engine?: string | undefined } = {},
  ): AsyncIterable<TranscriptionEvent> {
    const answer = await this.ask(
      `/v1/transcribe?${queryFor({ format: 'events', ...who })}`,
      uploadOf(recording),
    );
    for await (const event of linesOf<TranscriptionEvent>(answer)) {
      if (event.kind === 'trouble') throw new ServiceError(event.problem);
      yield event;
    }
  }

  /** A recording in, the answer and its speech out. */
  exchange(
    recording: BodyInit,
    who: { assistant?: string | undefined; conversation?: string | undefined } = {},
  ): Promise<Exchanged> {
    return this.json(`/v1/exchange?${queryFor(who)}`, uploadOf(recording));
  }

  recordings(): Promise<RecordingSummary[]> {
    return this.json('/v1/recordings');
  }

  recording(name: string): Promise<Uint8Array> {
    return this.bytes(`/v1/recordings/${encodeURIComponent(name)}.wav`);
  }

  /** Newest first. */
  conversations(limit = 50): Promise<ConversationSummary[]> {
    return this.json(`/v1/conversations?limit=${limit}`);
  }

  conversation(id: string): Promise<Conversation> {
    return this.json(`/v1/conversations/${encodeURIComponent(id)}`);
  }

  journal(id: string): Promise<JournalEntry[]> {
    return this.json(`/v1/conversations/${encodeURIComponent(id)}/journal`);
  }

  /** What other manners would have changed in turn-taking. */
  replay(id: string, manners: object): Promise<Replayed> {
    const body = post(JSON.stringify(manners), 'application/json');
    return this.json(`/v1/conversations/${encodeURIComponent(id)}/replay`, body);
  }

  /** A link to a talk that goes on, which only shows it, or lets somebody join. */
  view(id: string, wanted: { seconds?: number; may?: May } = {}): Promise<ViewLink> {
    const body = JSON.stringify(wanted);
    return this.json(`/v1/conversations/${encodeURIComponent(id)}/views`, post(body, 'application/json'));
  }

  /** Callers who want a person, and wait for one now. */
  async waiting(): Promise<WaitingCaller[]> {
    return (await this.json<{ waiting: WaitingCaller[] }>('/v1/waiting')).waiting;
  }

  /** Two lanes at 16 kHz on the caller's axis: the caller left, what was heard of the assistant right. */
  conversationSound(id: string): Promise<Uint8Array> {
    return this.bytes(`/v1/conversations/${encodeURIComponent(id)}/audio.wav`);
  }

  /** Both sides' words as WebVTT. */
  async captions(id: string): Promise<string> {
    return (await this.ask(`/v1/conversations/${encodeURIComponent(id)}/captions.vtt`)).text();
  }

  openApi(): Promise<object> {
    return this.json('/v1/openapi.json');
  }

  asyncApi(): Promise<object> {
    return this.json('/v1/asyncapi.json');
  }

  /** The JSON Schema of a file: `project`, `assistant`, `engine` or `answers`. */
  schema(name: string): Promise<object> {
    return this.json(`/v1/schemas/${name}.json`);
  }

  /** What is still waited for; empty when the default assistant can be talked to. */
  async waitingFor(): Promise<string[]> {
    const answer = await this.reach('/readyz');
    return ((await answer.json()) as { waitingFor: string[] }).waitingFor;
  }
}

const queryFor = (values: Record<string, string | undefined>) =>
  new URLSearchParams(
    Object.entries(values).flatMap(([key, value]) => (value === undefined ? [] : [[key, value]])),
  );

const typeOf = (kind: EditableKind) => (kind === 'lexicons' ? 'application/pls+xml' : 'text/yaml');
const fileAt = (kind: EditableKind, name: string) => `/v1/files/${kind}/${encodeURIComponent(name)}`;

async function withTag(answer: Response): Promise<FileText> {
  return { ...((await answer.json()) as ProjectText), etag: answer.headers.get('etag') ?? '' };
}
