/** From somebody who is admitted to a talk that goes on, whatever line it comes by. */
import { randomUUID } from 'node:crypto';
import type { Plan } from '@verbalon/core';
import type { CallerMessageOf } from '@verbalon/protocol';
import { lineupStates } from '../../engines/summaries.js';
import type { PersonDesk } from './hand-overs.js';
import type { Admitted } from './admit.js';
import { planFor, welcome } from './arrival.js';
import { Call, type CallLine } from './call.js';
import type { Sender } from '../../messages/outbox.js';
import { openSession, type TalkHost } from './open-session.js';

export interface CallHost extends TalkHost {
  readonly serviceId: string;
  readonly personDesk: PersonDesk;
}

/** @param greeting instead of the assistant's own: it has rung somebody, and says why */
export function beginCall(
  host: CallHost,
  message: CallerMessageOf<'arrive'>,
  { assistant, caller, admittedBy, callerSure, rights, release }: Admitted,
  line: CallLine,
  greeting?: string,
): Call {
  const usual = planFor(assistant, message);
  const rung = greeting === undefined ? usual : withGreeting(usual, greeting);
  // On a telephone nothing can be shown: that it is recorded is said.
  const plan = message.line === 'phone' && assistant.file.recorded ? withNotice(rung) : rung;
  const conversation = randomUUID();
  const recorded = assistant.file.recorded ?? false;
  const { keeper, serviceId, log, talks, pages } = host;
  const { name } = assistant;
  const who = { admittedBy, caller: recorded ? (caller ?? null) : null, callerSure };
  keeper.conversation({
    id: conversation,
    service: serviceId,
    assistant: name,
    line: message.line,
    recorded,
    stay: assistant.file.stay ?? null,
    startedAt: new Date(),
    ...who,
  });
  const sender = senderOf(caller, callerSure);
  const { rateHz } = message.audio;
  const shown = { id: caller?.id ?? '', name: caller?.name ?? '' };
  const call: Call = new Call(
    { conversation, rateHz, rights, recorded },
    line,
    (port) =>
      openSession(host, { conversation, rateHz, line: port }, assistant, plan, message, { caller, sender }),
    {
      wantsPerson: (known) =>
        host.personDesk.ask(call, {
          assistant: name,
          line: message.line,
          caller: shown,
          known: { ...known },
        }),
      personCame: () => host.personDesk.settled(conversation),
      ended: (why) => {
        talks.ended(call);
        pages.get(conversation)?.end();
        pages.delete(conversation);
        host.personDesk.settled(conversation);
        release();
        keeper.ending(conversation, why);
        log.info({ conversation, why }, 'a caller has left');
      },
    },
  );
  talks.begun(call);
  log.info(
    { conversation, assistant: name, line: message.line, by: admittedBy ?? undefined },
    'a caller has arrived',
  );
  const lineup = lineupStates(host.engines, assistant);
  call.begin((token) => ({
    kind: 'admitted',
    atMs: 0,
    conversation,
    lineup,
    token,
    ...welcome(message, assistant, plan),
  }));
  return call;
}

/**
 * Who sends messages of errands. Nobody but the caller says who an unsure one is: it owns what this talk
 * wrote, and nothing else.
 */
function senderOf(caller: CallerMessageOf<'arrive'>['caller'], isSure: boolean): Sender {
  const id = caller?.id ?? '';
  return isSure && id !== ''
    ? { id, isSure: true }
    : { id: id === '' ? '' : `unverified:${id}`, isSure: false };
}

/** It is said to its end: until then nothing of the caller's is heard. */
function withNotice(plan: Plan): Plan {
  const { recorded } = plan.sayings;
  if (recorded === '') return plan;
  const manners = { ...plan.manners, important: [...plan.manners.important, recorded] };
  return { ...plan, notice: recorded, manners };
}

function withGreeting(plan: ReturnType<typeof planFor>, greeting: string): ReturnType<typeof planFor> {
  const own = { ...plan, greeting, manners: { ...plan.manners, speaksFirst: 'assistant' as const } };
  delete own.opening;
  return own;
}
