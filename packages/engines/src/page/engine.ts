/**
 * The caller's own page is the model: it is asked over the talk's own line. Each talk has a page of its own,
 * or none.
 */
import { EngineFault, type LlmEngine, type LlmEvent, type LlmRequest } from '../common/contract.js';
import { AlwaysReady } from '../common/always-ready.js';

/** A page that answers. */
export type PageChat = Pick<LlmEngine, 'think'>;

export interface PageEngineOptions {
  name: string;
  title: string;
  languages: readonly string[];
  where: LlmEngine['where'];
  /** The page of this talk; null where there is none that answers. */
  page: (talk: string) => PageChat | null;
}

export class PageEngine extends AlwaysReady implements LlmEngine {
  readonly role = 'llm';
  readonly name: string;
  readonly title: string;
  readonly where: LlmEngine['where'];
  readonly languages: readonly string[];

  constructor(private readonly options: PageEngineOptions) {
    super();
    ({ name: this.name, title: this.title, where: this.where, languages: this.languages } = options);
  }

  think(request: LlmRequest): AsyncIterable<LlmEvent> {
    const page = this.options.page(request.talk);
    if (!page)
      throw new EngineFault(
        'engine-refused',
        `${this.name}: the caller has no page that answers (docs/embedding.md: "chat")`,
      );
    return page.think(request);
  }
}
