/** From somebody who is admitted to a talk that goes on, whatever line it comes by. */
import { randomUUID } from 'node:crypto';
import type { CallerMessageOf } from '@verbalon/protocol';
import { lineupStates } from '../engines/views.js';
import type { HandOvers } from './hand-overs.js';
import type { Admitted } from './admit.js';
import { planFor, welcome } from './arrival.js';
import { Call, type CallLine } from './call.js';
import { openSession, type TalkHost } from './open-session.js';

export interface CallHost extends TalkHost {
  readonly serviceId: string;
  readonly handOvers: HandOvers;
}

/** @param greeting instead of the assistant's own: it has rung somebody, and says why */
export function beginCall(
  host: CallHost,
  message: CallerMessageOf<'arrive'>,
  { assistant, caller, admittedBy, callerSure, release }: Admitted,
  line: CallLine,
  greeting?: string,
): Call {
  const usual = planFor(assistant, message);
  const plan = greeting === undefined ? usual : withGreeting(usual, greeting);
  const conversation = randomUUID();
  const recorded = assistant.file.recorded ?? false;
  const { keeper, serviceId, log, calls, pages } = host;
  const { name } = assistant;
  const who = { admittedBy, caller: recorded ? (caller ?? null) : null, callerSure };
  keeper.conversation({ id: conversation, service: serviceId, assistant: name, line: message.line, recorded, stay: assistant.file.stay ?? null, startedAt: new Date(), ...who }); // prettier-ignore
  const open = (call: Call) => openSession(host, call, assistant, plan, message, caller);
  const call = new Call(conversation, message.audio.rateHz, line, open, (why) => {
    calls.delete(call.token);
    pages.get(conversation)?.end();
    pages.delete(conversation);
    host.handOvers.settled(conversation);
    release();
    keeper.ending(conversation, why);
    log.info({ conversation, why }, 'a caller has left');
  });
  calls.set(call.token, call);
  const shown = { id: caller?.id ?? '', name: caller?.name ?? '' };
  call.wantsPerson = (known) =>
    host.handOvers.ask(call, { assistant: name, line: message.line, caller: shown, known: { ...known } });
  call.personCame = () => host.handOvers.settled(conversation);
  log.info({ conversation, assistant: name, line: message.line, by: admittedBy ?? undefined }, 'a caller has arrived'); // prettier-ignore
  const lineup = lineupStates(host.engines, assistant);
  call.begin((token) => ({ kind: 'admitted', atMs: 0, conversation, lineup, token, ...welcome(message, assistant, plan) })); // prettier-ignore
  return call;
}

function withGreeting(plan: ReturnType<typeof planFor>, greeting: string): ReturnType<typeof planFor> {
  const own = { ...plan, greeting, manners: { ...plan.manners, speaksFirst: 'assistant' as const } };
  delete own.opening;
  return own;
}
