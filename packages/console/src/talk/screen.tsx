/** A page that is only large words, for a screen in the room. */
import type { ReactNode } from 'react';
import { useSearchParams } from 'react-router';

/** Choices of such a page stand in its address: a screen keeps them. */
export function useChoice(name: string): [string | null, (value: string | null) => void] {
  const [wanted, want] = useSearchParams();
  const choose = (value: string | null) => {
    const next = new URLSearchParams(wanted);
    if (value === null) next.delete(name);
    else next.set(name, value);
    want(next, { replace: true });
  };
  return [wanted.get(name), choose];
}

export function useSize(): { isSmall: boolean; toggle: ReactNode } {
  const [size, choose] = useChoice('size');
  const isSmall = size === 'small';
  const toggle = (
    <button className="btn btn-sm btn-ghost" onClick={() => choose(isSmall ? null : 'small')}>
      {isSmall ? 'Larger words' : 'Smaller words'}
    </button>
  );
  return { isSmall, toggle };
}

/** @param beside a picture @param below what can be pressed */
export function Screen({
  isSmall,
  beside,
  below,
  children,
}: {
  isSmall: boolean;
  beside?: ReactNode;
  below: ReactNode;
  children: ReactNode;
}) {
  return (
    <main className="flex-1 min-h-screen flex flex-col p-8 gap-6" data-size={isSmall ? 'small' : 'large'}>
      <div className="flex-1 flex flex-col md:flex-row gap-8 justify-center">
        {beside}
        <div className="flex-1 flex flex-col justify-center">{children}</div>
      </div>
      <div className="flex gap-2 items-end text-accent">{below}</div>
    </main>
  );
}
