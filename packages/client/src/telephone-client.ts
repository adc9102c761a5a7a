/** The telephone of a service over HTTP. */
import type { NewCall, PhoneCallView, PhoneView } from '@verbalon/protocol';
import { post } from './asking.js';

export class TelephoneClient {
  /** @param json asks the service, and reads what it answers */
  constructor(private readonly json: <T>(path: string, init?: RequestInit) => Promise<T>) {}

  /** Its registrations and calls. */
  view(): Promise<PhoneView> {
    return this.json('/v1/phone');
  }

  ring(call: NewCall): Promise<PhoneCallView> {
    return this.json('/v1/calls', post(JSON.stringify(call), 'application/json'));
  }

  call(id: string): Promise<PhoneCallView> {
    return this.json(`/v1/calls/${encodeURIComponent(id)}`);
  }

  hangUp(id: string): Promise<PhoneCallView> {
    return this.json(`/v1/calls/${encodeURIComponent(id)}`, { method: 'DELETE' });
  }
}
