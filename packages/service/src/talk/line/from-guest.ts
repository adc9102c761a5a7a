/** What a guest's line may say: less than a caller's. */
import type { CallerMessage } from '@verbalon/protocol';
import { ProblemError } from '../../problems/problems.js';
import type { Call } from '../call/call.js';
import type { Guest } from '../company/company.js';
import type { View } from '../call/watch-links.js';

export interface Joined {
  call: Call;
  guest: Guest;
  view: View;
}

/** @throws ProblemError `guest-may-not`, `floor-taken` */
export function takeFromGuest({ call, guest, view }: Joined, message: CallerMessage): void {
  const { company, session } = call;
  switch (message.kind) {
    case 'press':
      return company.press(guest);
    case 'release':
      return company.release(guest);
    case 'hush':
      return session.happen({ kind: 'hushAsked' });
    case 'takeOver':
      if (view.may !== 'take over')
        throw new ProblemError('guest-may-not', 'its link is not for taking over');
      return company.takeOver(guest);
    case 'giveBack':
      return company.giveBack(guest);
    case 'played':
    case 'ducked':
      // Only what the caller heard counts.
      return;
    default:
      throw new ProblemError('guest-may-not', `"${message.kind}" is the caller's to say`);
  }
}
