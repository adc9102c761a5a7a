/** English where phrases are expected. */
import type { ExpectedWords } from '../common/contract.js';

const list = (words: string) => words.split(' ');

const DIGITS = list('zero oh one two three four five six seven eight nine');

export const ENGLISH_EXPECTED: ExpectedWords = {
  fillers: new Set(list('um uh er erm')),
  leadIns: new Set(list('um uh er erm well so and hello hi hey okay please yes no oh')),
  numbers: new Set([
    ...DIGITS,
    ...list('ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen'),
    ...list('twenty thirty forty fifty sixty seventy eighty ninety hundred'),
  ]),
  digits: DIGITS,
  counts: list('one two three four five six seven eight nine ten eleven twelve twenty'),
  always: [
    '[yes] (yes|yeah|yep|yup|okay|sure|right|correct|exactly|of course|certainly|absolutely|all right) [please|thank you]',
    '[yes|yes please] (please do|do that|do it|go ahead|book it|send it|i confirm|sounds good)',
    "[yes] (that is|that's|it is) (right|correct|fine|good|perfect)",
    '(no|nope) [thank you|thanks|sorry]',
    "[no] (that is|that's|it is) (wrong|not right|not correct)",
    "[no] (not yet|not quite|not really|better not|do not|don't)",
    '[okay|great|fine|well|no|yes] (thank you|thanks) [very much|a lot|so much|for your help]',
    '[okay|great|fine|well|no|yes] [thank you|thanks] [very much] (goodbye|good bye|bye|bye bye|good night|see you)',
    "[okay|great|fine|well|no|yes] (that is|that's|that was|that will be) all [thank you|thanks] [goodbye|bye]",
    '[please] (stop|wait|hold on|never mind|forget it|cancel that|cancel it|hang up)',
    '[please|no|can we] (start over|start again|go on)',
    '[can you|could you] (say|repeat) that [again] [please]',
    '(what did i say|what can you do|what was that|pardon|sorry|hello)',
    '(i want to|i would like to|can i) (speak|talk) to a person',
  ],
  days: list('today tonight tomorrow monday tuesday wednesday thursday friday saturday sunday'),
};
