/**
 * A face that listens, thinks and talks: its mouth is as far open as the sound is loud that really leaves the
 * loudspeaker.
 */
import type { TalkView } from '@verbalon/client';

/** @param open 0 to 1 */
export function Face({ phase, open }: { phase: TalkView['phase']; open: number }) {
  const lids = phase === 'resting' ? 1 : phase === 'working' ? 0.45 : 0;
  const look = phase === 'working' ? -7 : 0;
  return (
    <svg
      viewBox="0 0 200 200"
      role="img"
      aria-label={WORDS[phase]}
      className="w-64 max-w-[40vw] shrink-0 self-center"
    >
      <circle cx="100" cy="100" r="88" className="fill-base-200 stroke-accent" strokeWidth="3" />
      {[66, 134].map((x) => (
        <g key={x}>
          <ellipse cx={x} cy="84" rx="14" ry="18" className="fill-base-100 stroke-accent" strokeWidth="2" />
          <circle cx={x + look / 2} cy={86 + look} r="7" className="fill-base-content" />
          <rect x={x - 16} y="64" width="32" height={40 * lids} className="fill-base-200" />
          {phase === 'resting' && (
            <path d={`M${x - 14} 88 q14 10 28 0`} className="fill-none stroke-accent" strokeWidth="3" />
          )}
        </g>
      ))}
      {phase === 'listening' && (
        <path
          d="M20 70 q-14 30 0 60 M180 70 q14 30 0 60"
          className="fill-none stroke-primary"
          strokeWidth="5"
        />
      )}
      <ellipse
        cx="100"
        cy="140"
        rx={30 - 8 * open}
        ry={3 + 20 * open}
        className="fill-secondary"
        data-testid="mouth"
      />
    </svg>
  );
}

const WORDS: Record<TalkView['phase'], string> = {
  resting: 'It rests',
  listening: 'It listens',
  working: 'It thinks',
  answering: 'It talks',
};
