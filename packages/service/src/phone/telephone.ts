/** The telephone of a service, whether or not it is set up and can be used: a service without it goes on. */
import type { PhoneView } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import { Phone, type PhoneOptions } from './phone.js';

export class Telephone {
  private running: Phone | null = null;
  private trouble: ProblemError | null = null;

  /** @param changed whether project.yaml says something else of it by now */
  constructor(private readonly changed: () => boolean) {}

  /** @param options null where no telephone is set up */
  async start(options: PhoneOptions | null): Promise<void> {
    if (!options) return;
    try {
      this.running = await Phone.start(options);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      options.host.log.warn({ code: error.code }, error.message);
      this.trouble = error;
    }
  }

  /** @throws ProblemError `phone-off`, `phone-away` */
  get phone(): Phone {
    if (this.running) return this.running;
    throw this.trouble ?? new ProblemError('phone-off', 'project.yaml has no "phone:"');
  }

  get view(): PhoneView {
    const { running, trouble } = this;
    const changed = this.changed();
    if (running) return { ...running.view, changed };
    return {
      changed,
      address: null,
      tlsAddress: null,
      trouble: trouble?.detail ?? null,
      numbers: {},
      registrations: [],
      strangers: [],
      calls: [],
    };
  }

  async stop(): Promise<void> {
    await this.running?.stop();
  }
}
