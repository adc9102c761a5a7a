/** All kinds of slots, each by its name. */
import type { Kind } from '../common/kind.js';
import type { SlotKind } from '../common/slot.js';
import { choice, contact } from './choice.js';
import { count } from './count.js';
import { date } from './date.js';
import { digits } from './digits.js';
import { duration } from './duration.js';
import { email } from './email.js';
import { iban } from './iban.js';
import { moment } from './moment.js';
import { money } from './money.js';
import { name } from './name.js';
import { number } from './number.js';
import { phone } from './phone.js';
import { rule } from './rule.js';
import { spelled } from './spelled.js';
import { address, text } from './text.js';
import { time } from './time.js';
import { yesNo } from './yes-no.js';

export const KINDS: Readonly<Record<SlotKind, Kind>> = {
  choice,
  'yes-no': yesNo,
  count,
  number,
  digits,
  money,
  date,
  time,
  moment,
  duration,
  name,
  spelled,
  phone,
  iban,
  email,
  address,
  contact,
  rule,
  text,
};
