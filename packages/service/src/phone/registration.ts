/**
 * A number at a provider: registered with it (RFC 3261, section 10) for as long as the service runs, with
 * digest authentication.
 */
import { DigestAuthentication, type IncomingResponse } from 'sip.js/lib/core/index.js';
import { Grammar, type URI } from 'sip.js';
import type { RegistrationView } from '@verbalon/protocol';
import { SipEnd, type Station } from './sip-end.js';
import type { Peer } from './sip-sockets.js';

const WANTED_S = 300;
/** After a refusal or a silence it is tried again after this, in s. */
const AGAIN_S = 30;
/** That it is taken back is waited for so long, in ms. */
const TAKING_BACK_MS = 3_000;

export interface Account {
  /** Of the provider, such as sip:provider.example. */
  at: string;
  user: string;
  secret: string;
}

export class Registration {
  readonly end: SipEnd;
  private readonly registrar: URI;
  private readonly us: URI;
  private timer: NodeJS.Timeout | null = null;
  private state: RegistrationView['state'] = 'registering';
  private detail = '';
  private isStopped = false;
  private cseq = 0;
  private takenBack: () => void = () => undefined;
  readonly callId = `${Math.random().toString(36).slice(2)}@verbalon`;

  constructor(
    private readonly station: Station,
    readonly account: Account,
    readonly peer: Peer,
  ) {
    this.registrar = Grammar.URIParse(account.at)!;
    this.us = this.registrar.clone();
    this.us.user = account.user;
    this.end = new SipEnd(station, peer, account.user, {}, credentials(account));
  }

  get view(): RegistrationView {
    const { account, state, detail } = this;
    return { at: account.at, user: account.user, state, detail };
  }

  begin(): void {
    this.register(WANTED_S);
  }

  /** Takes the registration back. @returns when that is done, or was waited for long enough */
  stop(): Promise<void> {
    if (this.isStopped) return Promise.resolve();
    this.isStopped = true;
    if (this.timer) clearTimeout(this.timer);
    if (this.state !== 'registered') return Promise.resolve();
    return new Promise((done) => {
      const patience = setTimeout(done, TAKING_BACK_MS);
      this.takenBack = () => {
        clearTimeout(patience);
        done();
      };
      this.register(0);
    });
  }

  private register(seconds: number): void {
    const { core, contact } = this.end;
    const message = core.makeOutgoingRequestMessage(
      'REGISTER',
      this.registrar,
      this.us,
      this.us,
      { callId: this.callId, cseq: (this.cseq += 2) },
      [`Contact: <${contact.toString()}>;expires=${seconds}`, `Expires: ${seconds}`],
    );
    core.register(message, {
      onAccept: (response) => this.accepted(response, seconds),
      onReject: ({ message: { statusCode, reasonPhrase } }) => this.refused(`${statusCode} ${reasonPhrase}`),
    });
  }

  private accepted({ message }: IncomingResponse, seconds: number): void {
    if (this.isStopped) return this.takenBack();
    this.state = 'registered';
    this.detail = '';
    const given = Number.parseInt(
      /;\s*expires=(\d+)/i.exec(message.getHeader('contact') ?? '')?.[1] ??
        message.getHeader('expires') ??
        '',
      10,
    );
    const until = Number.isFinite(given) && given > 0 ? given : seconds;
    this.station.log.info(
      { at: this.account.at, user: this.account.user, seconds: until },
      'a number is registered',
    );
    this.next(Math.max(5, until * 0.8));
  }

  private refused(why: string): void {
    if (this.isStopped) return this.takenBack();
    this.state = 'refused';
    this.detail = why;
    this.station.log.warn(
      { at: this.account.at, user: this.account.user, why },
      'a number cannot be registered',
    );
    this.next(AGAIN_S);
  }

  private next(seconds: number): void {
    this.timer = setTimeout(() => this.register(WANTED_S), seconds * 1_000);
    this.timer.unref();
  }
}

/** Of an account, for whoever asks who we are. */
export function credentials({ user, secret }: Account) {
  return (loggers: ConstructorParameters<typeof DigestAuthentication>[0]) =>
    new DigestAuthentication(loggers, undefined, user, secret);
}
