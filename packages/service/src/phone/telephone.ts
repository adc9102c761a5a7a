/** The telephone of a service, whether or not it is set up and can be used: a service without it goes on. */
import type { PhoneView } from '@verbalon/protocol';
import { ProblemError } from '../problems.js';
import { Phone, type PhoneOptions } from './phone.js';

export class Telephone {
  private constructor(
    private readonly running: Phone | null,
    private readonly trouble: ProblemError | null,
  ) {}

  /** @param options null where no telephone is set up */
  static async start(options: PhoneOptions | null): Promise<Telephone> {
    if (!options) return new Telephone(null, null);
    try {
      return new Telephone(await Phone.start(options), null);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      options.host.log.warn({ code: error.code }, error.message);
      return new Telephone(null, error);
    }
  }

  /** @throws ProblemError `phone-off`, `phone-away` */
  get phone(): Phone {
    if (this.running) return this.running;
    throw this.trouble ?? new ProblemError('phone-off', 'project.yaml has no "phone:"');
  }

  get view(): PhoneView {
    const { running, trouble } = this;
    if (running) return running.view;
    return {
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
