/** Asking the service over HTTP: with a key where there is one, and in its own words where it refuses. */
import type { Problem } from '@verbalon/protocol';

/** What the service refused, in its own words; or `unreachable`, when nothing answers. */
export class ServiceError extends Error {
  constructor(readonly problem: Pick<Problem, 'code' | 'title' | 'detail' | 'remedy' | 'line'>) {
    super(`${problem.title}: ${problem.detail}`);
    this.name = 'ServiceError';
  }
}

export class Asking {
  /** @param key for a service that asks for one; a page of the service needs none: it is signed in */
  constructor(
    readonly address: string,
    private readonly key?: string,
  ) {}

  protected async json<T>(path: string, init?: RequestInit): Promise<T> {
    return (await (await this.ask(path, init)).json()) as T;
  }

  protected async bytes(path: string): Promise<Uint8Array> {
    return new Uint8Array(await (await this.ask(path)).arrayBuffer());
  }

  /** @throws ServiceError with what the service refused */
  protected async ask(path: string, init?: RequestInit): Promise<Response> {
    const answer = await this.reach(path, init);
    if (!answer.ok) throw new ServiceError((await answer.json()) as Problem);
    return answer;
  }

  protected async reach(path: string, init?: RequestInit): Promise<Response> {
    const headers = new Headers(init?.headers);
    if (this.key !== undefined) headers.set('authorization', `Bearer ${this.key}`);
    const ask = () => fetch(new URL(path, this.address), { ...init, headers });
    try {
      // A connection that was kept open may just have been closed by the service: a question is put once
      // more.
      return await ask().catch((error: unknown) => (init === undefined ? ask() : Promise.reject(error)));
    } catch {
      throw unreachable(this.address);
    }
  }
}

export function post(body: string, type: string): RequestInit {
  return { method: 'POST', body, headers: { 'content-type': type } };
}

export const uploadOf = (recording: BodyInit): RequestInit & { duplex: 'half' } => ({
  method: 'POST',
  body: recording,
  headers: { 'content-type': 'application/octet-stream' },
  duplex: 'half',
});

export function unreachable(address: string): ServiceError {
  return new ServiceError({
    code: 'unreachable',
    title: 'No service answers',
    detail: `nothing listens at ${address}`,
    remedy: 'Start one with "verbalon serve", or name its address in VERBALON_URL.',
  });
}
