/** What people say while somebody else speaks: to stop them, or only to show that they listen. */
import { overlapBy } from '../common/overlap.js';

const AT_ONCE = [
  'stop',
  'wait',
  'hold on',
  'hang on',
  'excuse me',
  'shut up',
  'just a moment',
  'just a second',
];
const STOPS = [
  'no',
  'sorry',
  'pardon',
  'quiet',
  'enough',
  'one moment',
  'one second',
  'actually',
  'hey',
  'never mind',
  'cancel',
  'listen',
];
const NODS = new Set(
  'mm mhm mmhm hm hmm mmm mm-hm mm-hmm mhmm uh-huh uh huh um ah oh aha ha yeah yes yep yup okay ok right sure good great nice fine well really wow true exactly cool lovely alright'.split(
    ' ',
  ),
);
const NOD_PHRASES = new Set([
  'i see',
  'all right',
  'go on',
  'of course',
  'got it',
  'oh really',
  'is that so',
  'very good',
  'makes sense',
  'that is good',
  'good good',
]);
/**
 * What is said over anybody's voice, as templates of expected phrases: recognition hears short words better
 * that it expects.
 */
export const ENGLISH_INTERJECTIONS = [
  '(wait|stop|no|hold on|hang on|excuse me) [wait|stop it|no]',
  '(yes|yeah|okay|right|sure|all right|i see|uh huh|of course)',
  '[yes|okay|oh] (okay|right|sure|all right|i see|uh huh|really)',
];
const SCRAPS = new Set(
  "a an the and but or nor so if as at by for from in of on to up with i i'm i'd you you're you'll he he's she it it's its we they them this that there then than is are was were be been has have had do did don't didn't not would could will can what who whoa he'd our your my me her his all any one hello hey".split(
    ' ',
  ),
);

export const englishOverlap = overlapBy({
  atOnce: AT_ONCE,
  stops: STOPS,
  nods: NODS,
  nodPhrases: NOD_PHRASES,
  scraps: SCRAPS,
});
