/** A question to an assistant as it was saved. */
import { useState, type FormEvent } from 'react';
import type { Trouble } from '@verbalon/client';
import type { AskAnswer } from '@verbalon/protocol';
import { Notice, troubleOf } from '../shared/notice.js';
import { http } from '../shared/use-loaded.js';

export function TryIt({ name }: { name: string }) {
  const [text, setText] = useState('');
  const [answer, setAnswer] = useState<AskAnswer | null>(null);
  const [trouble, setTrouble] = useState<Trouble | null>(null);
  const ask = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim() === '') return;
    setTrouble(null);
    http
      .question({ text, assistant: name })
      .then(setAnswer, (error: unknown) => setTrouble(troubleOf(error)));
  };
  return (
    <section aria-label="Try it" className="flex flex-col gap-2">
      <form className="join" onSubmit={ask}>
        <input
          className="input join-item w-full"
          aria-label={`Ask ${name}`}
          placeholder={`Try it: ask ${name} something`}
          maxLength={4000}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <button className="btn join-item">Ask</button>
      </form>
      {trouble && <Notice trouble={trouble} />}
      <p aria-live="polite">
        {answer && (
          <>
            {answer.text} <span className="text-sm text-accent times">({Math.round(answer.tookMs)} ms)</span>
          </>
        )}
      </p>
    </section>
  );
}
