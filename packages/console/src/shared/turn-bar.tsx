/** A turn's gap as one bar, split into its parts. */
import type { Report } from '@verbalon/client';

const LOOKS: Record<string, string> = {
  wait: 'bg-base-300 text-base-content',
  recognition: 'bg-primary text-primary-content',
  thinking: 'bg-neutral text-neutral-content',
  phrase: 'bg-accent text-accent-content',
  synthesis: 'bg-secondary text-secondary-content',
  playing: 'bg-info text-info-content',
};

function roundly(ms: number): string {
  return ms >= 1_000 ? `${(ms / 1_000).toFixed(1)} s` : `${Math.round(ms / 10) * 10} ms`;
}

export function TurnBar({ report, name }: { report: Report | undefined; name: string }) {
  if (!report?.gap) {
    return (
      <p className="text-sm text-accent">
        After your first turn, this bar shows where the time of the answer went.
      </p>
    );
  }
  const { gap } = report;
  const parts = gap.parts.filter(({ ms }) => ms >= 1);
  return (
    <div>
      <p className="text-sm mb-1">
        {name}: <strong className="times">{roundly(gap.ms)}</strong> from the caller’s last sound to the
        answer’s first
      </p>
      <div
        className="flex h-7 w-full rounded-field overflow-hidden text-xs times"
        role="img"
        aria-label={parts.map(({ part, ms }) => `${part} ${roundly(ms)}`).join(', ')}
      >
        {parts.map(({ part, ms }) => (
          <div
            key={part}
            className={`${LOOKS[part] ?? ''} flex items-center justify-center overflow-hidden whitespace-nowrap`}
            style={{ flexGrow: ms, flexBasis: 0 }}
          >
            {ms / gap.ms > 0.13 ? part : ''}
          </div>
        ))}
      </div>
      <p className="text-xs mt-1 times">
        {parts.map(({ part, ms }) => `${part} ${roundly(ms)}`).join(' · ')}
      </p>
    </div>
  );
}
