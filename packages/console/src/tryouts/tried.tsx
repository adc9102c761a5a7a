/** What a tryout found: a table of engines, bars to compare them by, and every item word by word. */
import { Download } from 'lucide-react';
import { useState } from 'react';
import type { TriedEngine, TriedItem, Tryout } from '@verbalon/protocol';
import { http } from '../shared/use-loaded.js';

const ms = (spread: TriedEngine['firstMs']) =>
  spread ? `${Math.round(spread.p50)} ms (${Math.round(spread.p95)})` : '';
const percent = (rate: number) => `${(100 * rate).toFixed(1)} %`;

interface Measure {
  name: string;
  /** For the bar; less is better unless `more`. */
  value: (one: TriedEngine) => number | null;
  words: (one: TriedEngine) => string;
}

const COST: Measure = {
  name: 'cost',
  value: ({ cost }) => cost,
  words: ({ cost, currency }) => (cost === null ? 'no price' : `${currency} ${cost.toFixed(5)}`),
};
const MEASURES: Record<Tryout['role'], Measure[]> = {
  stt: [
    {
      name: 'word errors',
      value: ({ errors }) => errors?.rate ?? null,
      words: ({ errors }) => (errors ? percent(errors.rate) : ''),
    },
    {
      name: 'first partial',
      value: ({ firstMs }) => firstMs?.p50 ?? null,
      words: ({ firstMs }) => ms(firstMs),
    },
    {
      name: 'final after the end',
      value: ({ endMs }) => endMs?.p50 ?? null,
      words: ({ endMs }) => ms(endMs),
    },
    {
      name: 'words that flickered',
      value: ({ flicker }) => flicker,
      words: ({ flicker }) => String(flicker ?? ''),
    },
    COST,
  ],
  llm: [
    {
      name: 'first piece',
      value: ({ firstMs }) => firstMs?.p50 ?? null,
      words: ({ firstMs }) => ms(firstMs),
    },
    { name: 'whole answer', value: ({ endMs }) => endMs?.p50 ?? null, words: ({ endMs }) => ms(endMs) },
    {
      name: 'pieces a second',
      value: ({ rate }) => rate?.p50 ?? null,
      words: ({ rate }) => rate?.p50.toFixed(1) ?? '',
    },
    COST,
  ],
  tts: [
    {
      name: 'first sound',
      value: ({ firstMs }) => firstMs?.p50 ?? null,
      words: ({ firstMs }) => ms(firstMs),
    },
    {
      name: 'not understood',
      value: ({ errors }) => errors?.rate ?? null,
      words: ({ errors }) => (errors ? percent(errors.rate) : ''),
    },
    {
      name: 'words a second',
      value: ({ rate }) => rate?.p50 ?? null,
      words: ({ rate }) => rate?.p50.toFixed(1) ?? '',
    },
    {
      name: 'level',
      value: () => null,
      words: ({ levelDb }) => (levelDb ? `${levelDb.p50.toFixed(1)} dBFS` : ''),
    },
    COST,
  ],
};

export function Tried({ tryout, changed }: { tryout: Tryout; changed: (tryout: Tryout) => void }) {
  const { role, engines } = tryout;
  return (
    <section aria-label="What was found" className="flex flex-col gap-4">
      <div className="overflow-x-auto">
        <table className="table table-sm">
          <thead>
            <tr>
              <th>p50 (p95)</th>
              {engines.map(({ engine, where, failed }) => (
                <th key={engine} className="min-w-40">
                  {engine}{' '}
                  <span className="text-accent font-normal">
                    {where === 'cloud' ? 'a cloud' : 'this machine'}
                  </span>
                  {failed > 0 && <span className="text-error font-normal"> {failed} failed</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {MEASURES[role].map((measure) => (
              <Row key={measure.name} measure={measure} engines={engines} />
            ))}
            {role === 'stt' &&
              engines[0]!.byGroup.map(({ group }) => <Group key={group} group={group} engines={engines} />)}
          </tbody>
        </table>
      </div>
      <p className="flex gap-2">
        <a className="btn btn-sm" href={`/v1/tryouts/${tryout.id}`} download={`tryout-${tryout.id}.json`}>
          <Download size={14} aria-hidden /> JSON
        </a>
        <a
          className="btn btn-sm"
          href={`/v1/tryouts/${tryout.id}/table`}
          download={`tryout-${tryout.id}.csv`}
        >
          <Download size={14} aria-hidden /> CSV
        </a>
      </p>
      <ol className="flex flex-col gap-3" aria-label="Items">
        {engines[0]!.items.map(({ item, given }) => (
          <li key={item} className="rounded-box border border-base-300 p-3">
            <p>
              <span className="text-accent text-sm">{item}</span> <strong>{given}</strong>
            </p>
            {engines.map((one) => (
              <Item
                key={one.engine}
                tryout={tryout}
                engine={one.engine}
                item={one.items.find((its) => its.item === item)!}
                changed={changed}
              />
            ))}
          </li>
        ))}
      </ol>
    </section>
  );
}

/** A measure of each engine, with a bar as long as its share of the greatest. */
function Row({ measure, engines }: { measure: Measure; engines: TriedEngine[] }) {
  const most = Math.max(1e-12, ...engines.map((one) => measure.value(one) ?? 0));
  return (
    <tr>
      <td>{measure.name}</td>
      {engines.map((one) => {
        const value = measure.value(one);
        return (
          <td key={one.engine} className="times">
            {measure.words(one)}
            {value !== null && (
              <div className="h-1.5 bg-base-200 rounded-full mt-1" aria-hidden>
                <div
                  className="h-1.5 bg-primary rounded-full"
                  style={{ width: `${(100 * value) / most}%` }}
                />
              </div>
            )}
          </td>
        );
      })}
    </tr>
  );
}

function Group({ group, engines }: { group: string; engines: TriedEngine[] }) {
  return (
    <tr>
      <td className="pl-8 text-accent">{group}</td>
      {engines.map(({ engine, byGroup }) => {
        const errors = byGroup.find((one) => one.group === group)?.errors;
        return (
          <td key={engine} className="times text-accent">
            {errors ? `${percent(errors.rate)} of ${errors.words} words` : ''}
          </td>
        );
      })}
    </tr>
  );
}

interface ItemProps {
  tryout: Tryout;
  engine: string;
  item: TriedItem;
  changed: (tryout: Tryout) => void;
}

function Item({ tryout, engine, item, changed }: ItemProps) {
  const rate = (rating: number) => void http.rate(tryout.id, engine, item.item, rating).then(changed);
  return (
    <div className="grid grid-cols-[9rem_1fr_auto] gap-2 items-baseline mt-1">
      <span className="text-accent">{engine}</span>
      <span>
        {item.problem ? (
          <em className="text-error">{item.problem}</em>
        ) : tryout.role === 'llm' ? (
          item.got
        ) : (
          <Aligned item={item} />
        )}
      </span>
      {tryout.role !== 'stt' && !item.problem && (
        <span className="flex items-center gap-2">
          {tryout.role === 'tts' && <Hear engine={engine} text={item.given} />}
          <span
            className="rating rating-sm gap-1"
            role="radiogroup"
            aria-label={`Rating of ${engine}, ${item.item}`}
          >
            {[1, 2, 3, 4, 5].map((stars) => (
              <input
                key={stars}
                type="radio"
                className="mask mask-circle bg-primary"
                aria-label={`${stars} of 5`}
                checked={item.rating === stars}
                onChange={() => rate(stars)}
              />
            ))}
          </span>
        </span>
      )}
    </div>
  );
}

/** What was said, with what was heard instead above it. */
function Aligned({ item }: { item: TriedItem }) {
  return (
    <>
      {item.alignment.map(({ what, said, heard }, i) => (
        <span key={i}>
          {what === 'same' && said}
          {what === 'other' && (
            <>
              <s className="text-error">{said}</s> <strong>{heard}</strong>
            </>
          )}
          {what === 'missing' && <s className="text-error">{said}</s>}
          {what === 'added' && <strong className="text-warning">+{heard}</strong>}{' '}
        </span>
      ))}
    </>
  );
}

function Hear({ engine, text }: { engine: string; text: string }) {
  const [busy, setBusy] = useState(false);
  const play = async () => {
    setBusy(true);
    try {
      const { wav } = await http.aloud({ text, engine });
      const sound = new Audio(
        URL.createObjectURL(new Blob([wav as Uint8Array<ArrayBuffer>], { type: 'audio/wav' })),
      );
      await sound.play();
    } finally {
      setBusy(false);
    }
  };
  return (
    <button className="btn btn-xs" disabled={busy} onClick={() => void play()}>
      Hear
    </button>
  );
}
