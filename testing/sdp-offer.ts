/** What a telephone offers: G.729, which we have not, then G.711, and keys. */
export const OFFER = [
  'v=0',
  'o=- 1 1 IN IP4 127.0.0.1',
  's=-',
  'c=IN IP4 127.0.0.1',
  't=0 0',
  'm=audio 4000 RTP/AVP 18 8 0 101',
  'a=rtpmap:8 PCMA/8000',
  'a=rtpmap:0 PCMU/8000',
  'a=rtpmap:101 telephone-event/8000',
  'a=sendrecv',
  '',
].join('\r\n');
