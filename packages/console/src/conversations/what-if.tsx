/**
 * What other manners would have changed in a stored talk: its strip as it was and as it would be, one above
 * the other.
 */
import { useState } from 'react';
import { USUAL_MANNERS } from '@verbalon/core';
import type { Trouble, TalkView } from '@verbalon/client';
import type { Replayed } from '@verbalon/protocol';
import { Notice, troubleOf } from '../shared/notice.js';
import { StoredStrip } from '../shared/strip.js';
import { http } from '../shared/use-loaded.js';

const { leewayMs, headStarts, headStartWaste } = USUAL_MANNERS;
const USUAL = { leewayMs, headStarts, headStartWaste };

export function WhatIf({
  conversation,
  view,
  durationMs,
  seek,
}: {
  conversation: string;
  view: TalkView;
  durationMs: number;
  seek: (ms: number) => void;
}) {
  const [manners, setManners] = useState(USUAL);
  const [found, setFound] = useState<Replayed | null>(null);
  const [trouble, setTrouble] = useState<Trouble | null>(null);
  const ask = async () => {
    try {
      setFound(await http.replay(conversation, manners));
      setTrouble(null);
    } catch (error) {
      setTrouble(troubleOf(error));
    }
  };
  const dial = (name: keyof typeof USUAL, words: string, min: number, max: number, step: number) => (
    <label className="text-sm flex items-center gap-2">
      {words}
      <input
        type="range"
        className="range range-xs w-40"
        min={min}
        max={max}
        step={step}
        value={manners[name]}
        onChange={(event) => setManners({ ...manners, [name]: Number(event.target.value) })}
      />
      <output className="times w-16">{manners[name]}</output>
    </label>
  );
  return (
    <details className="rounded-box border border-base-300 p-3">
      <summary className="font-bold cursor-pointer">Try other turn-taking settings</summary>
      <div className="flex flex-wrap items-center gap-4 my-2">
        {dial('leewayMs', 'Leeway in ms', 200, 1_500, 50)}
        {dial('headStarts', 'Head starts a turn', 0, 4, 1)}
        {dial('headStartWaste', 'Share of them for nothing', 0, 1, 0.05)}
        <button className="btn btn-sm btn-primary" onClick={() => void ask()}>
          Try it
        </button>
      </div>
      {trouble && <Notice trouble={trouble} />}
      {found && (
        <div className="flex flex-col gap-2">
          <h2 className="text-sm font-bold">As it was</h2>
          <StoredStrip view={view} durationMs={durationMs} atMs={0} seek={seek} />
          <h2 className="text-sm font-bold">
            As it would be (what the engines would have said is not known)
          </h2>
          <StoredStrip view={wouldBe(view, found)} durationMs={durationMs} atMs={0} seek={seek} />
          <Turns found={found} />
        </div>
      )}
    </details>
  );
}

/** The same talk with the other waits; nothing is claimed of the answers. */
function wouldBe(view: TalkView, { turns }: Replayed): TalkView {
  const reports = view.reports.flatMap((report) => {
    const found = turns.find(({ turn }) => turn === report.turn);
    if (!found || found.wouldBe.waitMs === null) return [];
    const { waitMs, reason, headStarts } = found.wouldBe;
    const { voiceEndedMs } = found;
    const times = { voiceEndedMs, endpointMs: voiceEndedMs + waitMs };
    return [{ ...report, times, headStarts, wait: { ms: waitMs, reason } }];
  });
  return { ...view, reports, speeches: [], hushes: [] };
}

function Turns({ found }: { found: Replayed }) {
  const ms = (value: number | null) => (value === null ? '–' : `${Math.round(value)} ms`);
  return (
    <table className="table table-sm" aria-label="Turns as they were and as they would be">
      <thead>
        <tr>
          <th>Turn</th>
          <th>wait: was</th>
          <th>would be</th>
          <th>gap: was</th>
          <th>would be</th>
          <th>cut off</th>
          <th>because</th>
        </tr>
      </thead>
      <tbody className="times">
        {found.turns.map(({ turn, text, was, wouldBe: other }) => (
          <tr key={turn}>
            <td>{text}</td>
            <td>{ms(was.waitMs)}</td>
            <td>{ms(other.waitMs)}</td>
            <td>{ms(was.gapMs)}</td>
            <td>{ms(other.gapMs)}</td>
            <td>{other.cutOffs === 0 ? 'no' : `${other.cutOffs} times`}</td>
            <td>{other.reason}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
