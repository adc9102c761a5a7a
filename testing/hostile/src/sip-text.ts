/** Messages of SIP as text. */

export interface SipText {
  /** Of a response; null of a request. */
  status: number | null;
  method: string;
  headers: (name: string) => string[];
  header: (name: string) => string;
  body: string;
}

export function readText(text: string): SipText {
  const [head = '', body = ''] = text.split('\r\n\r\n');
  const [line = '', ...lines] = head.split('\r\n');
  const headers = (name: string) =>
    lines
      .filter((one) => one.toLowerCase().startsWith(`${name.toLowerCase()}:`))
      .map((one) => one.slice(name.length + 1).trim());
  const header = (name: string) => headers(name)[0] ?? '';
  const status = /^SIP\/2\.0 (\d{3})/.exec(line)?.[1];
  const method = status === undefined ? line.split(' ')[0]! : (header('CSeq').split(' ')[1] ?? '');
  return { status: status === undefined ? null : Number(status), method, headers, header, body };
}
