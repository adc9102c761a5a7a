/** What a new errand may begin as. */
import type { Shape } from '@verbalon/protocol';

export const ERRAND_SHAPES: readonly Shape[] = [
  {
    kind: 'errands',
    name: 'note',
    title: 'Something is noted, and kept among the outcomes',
    yaml: `title: take a note                      # it goes on after "I can": the assistant says it
about: Takes a note for the office.     # for a model
begins:                                 # patterns: (a|b), [may be left out], <slot>, ... for anything
  - '... (take|leave) a (note|message) ...'
slots:
  name: { kind: name, ask: Under which name? }
  note: { kind: text, ask: What shall I write? }
readBack: 'For {name}: {note} Shall I keep that?'   # false: it is done at once
does: { keep: true }                    # see npx verbalon errands outcomes
says: { done: It is kept. }
examples:                               # npx verbalon check runs them
  - { say: please take a note, gives: {} }
`,
  },
  {
    kind: 'errands',
    name: 'request',
    title: 'Something is done by an HTTP request',
    yaml: `title: book a table
about: Books a table for an evening.
begins:
  - '... (book|reserve) ... table ...'
slots:                                  # asked for in this order; said in any
  people: { kind: count, unit: [person, people], least: 1, most: 20, ask: For how many people? }
  day: { kind: date, ask: For which day? }
  time: { kind: time, least: '17:00', most: '22:00', ask: At what time? }
  name: { kind: name, ask: Under which name? }
readBack: 'A table for {people}, {day}, {time}, under the name {name}. Is that right?'
does:
  http:
    method: POST
    to: http://127.0.0.1:8080/tables
    # secret: TABLES_KEY                # the variable with the key, here or in .env
    # headers: { authorization: 'Bearer {secret}' }
    body: { people: '{people}', day: '{day}', time: '{time}', name: '{name}' }
    gives: { number: /number }          # what of the answer is said, by JSON Pointers
    # It is sent with an idempotency-key; with mayRepeat: true it may be sent twice.
    outcomes:
      full: { status: 409, asks: time } # another time may do
says:
  done: 'It is booked. The number is {number}.'
  full: There is no table at that time.
examples:
  - { say: I would like to book a table for four people, gives: { people: 4 } }
`,
  },
];
