/** Newline-delimited JSON, as it comes. */
export async function* linesOf<T>(answer: Response): AsyncIterable<T> {
  const decoder = new TextDecoder();
  let rest = '';
  const reader = answer.body!.getReader();
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    const lines = (rest + decoder.decode(part.value, { stream: true })).split('\n');
    rest = lines.pop()!;
    for (const line of lines) yield JSON.parse(line) as T;
  }
}
