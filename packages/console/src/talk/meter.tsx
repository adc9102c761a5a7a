/** Level and spectrum of the microphone. */
import { useEffect, useRef } from 'react';
import type { TalkSession } from '@verbalon/client/browser';

const LOW_DB = -80;
const REFRESH_MS = 50;

export function Meter({ session, live }: { session: TalkSession; live: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const label = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const draw = () => {
      const element = canvas.current;
      const pen = element?.getContext('2d');
      if (!element || !pen) return;
      const { levelDb, bandsDb } = session.meter;
      pen.clearRect(0, 0, element.width, element.height);
      pen.fillStyle = getComputedStyle(element).color;
      const step = element.width / bandsDb.length;
      bandsDb.forEach((db, i) => {
        const height = Math.max(1, ((Math.max(LOW_DB, db) - LOW_DB) / -LOW_DB) * element.height * 1.4);
        pen.fillRect(i * step + 1, element.height - height, step - 2, height);
      });
      if (label.current)
        label.current.textContent = live ? `${Math.round(Math.max(-90, levelDb))} dB` : 'off';
    };
    draw();
    if (!live) return;
    const timer = setInterval(draw, REFRESH_MS);
    return () => clearInterval(timer);
  }, [session, live]);
  return (
    <div className="flex items-end gap-2" aria-hidden="true">
      <canvas ref={canvas} width={168} height={36} className="text-primary" />
      <span ref={label} className="text-xs times w-12" />
    </div>
  );
}
