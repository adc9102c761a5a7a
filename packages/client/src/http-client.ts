/** The service's HTTP interface, typed. */
import type {
  AssistantSummary, Conversation, ConversationSummary, EngineSummary, JournalEntry, Problem, RecordingSummary,
} from '@verbalon/protocol'; // prettier-ignore

/** What the service refused, in its own words; or `unreachable`, when nothing answers. */
export class ServiceError extends Error {
  constructor(readonly problem: Pick<Problem, 'code' | 'title' | 'detail' | 'remedy'>) {
    super(`${problem.title}: ${problem.detail}`);
    this.name = 'ServiceError';
  }
}

export class HttpClient {
  constructor(readonly address: string) {}

  assistants(): Promise<AssistantSummary[]> {
    return this.json('/v1/assistants');
  }

  engines(): Promise<EngineSummary[]> {
    return this.json('/v1/engines');
  }

  recordings(): Promise<RecordingSummary[]> {
    return this.json('/v1/recordings');
  }

  recording(name: string): Promise<Uint8Array> {
    return this.bytes(`/v1/recordings/${encodeURIComponent(name)}.wav`);
  }

  conversations(): Promise<ConversationSummary[]> {
    return this.json('/v1/conversations');
  }

  conversation(id: string): Promise<Conversation> {
    return this.json(`/v1/conversations/${id}`);
  }

  journal(id: string): Promise<JournalEntry[]> {
    return this.json(`/v1/conversations/${id}/journal`);
  }

  /** Two lanes at 16 kHz on the caller's axis: the caller left, what was heard of the assistant right. */
  conversationSound(id: string): Promise<Uint8Array> {
    return this.bytes(`/v1/conversations/${id}/audio.wav`);
  }

  /** What is still waited for; empty when the default assistant can be talked to. */
  async waitingFor(): Promise<string[]> {
    const answer = await this.ask('/readyz');
    return ((await answer.json()) as { waitingFor: string[] }).waitingFor;
  }

  private async json<T>(path: string): Promise<T> {
    const answer = await this.ask(path);
    if (!answer.ok) throw new ServiceError((await answer.json()) as Problem);
    return (await answer.json()) as T;
  }

  private async bytes(path: string): Promise<Uint8Array> {
    const answer = await this.ask(path);
    if (!answer.ok) throw new ServiceError((await answer.json()) as Problem);
    return new Uint8Array(await answer.arrayBuffer());
  }

  private async ask(path: string): Promise<Response> {
    try {
      return await fetch(new URL(path, this.address));
    } catch {
      throw unreachable(this.address);
    }
  }
}

export function unreachable(address: string): ServiceError {
  return new ServiceError({
    code: 'unreachable',
    title: 'No service answers',
    detail: `nothing listens at ${address}`,
    remedy: 'Start one with "npx verbalon serve", or name its address in VERBALON_URL.',
  });
}
