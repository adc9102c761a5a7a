/** The body of an answer as text; null where it is longer than so many bytes. */
export async function boundedText(answer: Response, mostBytes: number): Promise<string | null> {
  const chunks: Uint8Array[] = [];
  let bytes = 0;
  for await (const chunk of (answer.body ?? []) as unknown as AsyncIterable<Uint8Array>) {
    bytes += chunk.byteLength;
    if (bytes > mostBytes) return null;
    chunks.push(chunk);
  }
  return Buffer.concat(chunks).toString('utf8');
}
