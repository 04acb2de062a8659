/** A lying level bar, and what moves it. */
import { useEffect, useRef, type RefObject } from "react";

/** What is as quiet leaves the bar empty, in dB; and how fast it falls, in dB a second. */
const FLOOR = -48;
const FALL = 42;
/** Looked at so often; the browser glides in between by itself, which costs a third of moving it at every frame. */
const APART_MS = 50;
const BAR = "block h-full transition-transform duration-[50ms] ease-linear will-change-transform";

/** Moves bars by levels (dB) while `active`, falling slowly, and on until all are empty. */
export function useLevels(active: boolean, levels: () => number[], bars: RefObject<HTMLSpanElement | null>[]): void {
  const shown = useRef(bars.map(() => FLOOR));
  const latest = useRef({ levels, bars });
  useEffect(() => {
    latest.current = { levels, bars };
  });
  useEffect(() => {
    let last = 0;
    let frame = requestAnimationFrame(tick);
    function tick(now: number) {
      if (now - last < APART_MS) {
        frame = requestAnimationFrame(tick);
        return;
      }
      const fall = last ? (FALL * (now - last)) / 1000 : 0;
      last = now;
      const heard = active ? latest.current.levels() : [];
      latest.current.bars.forEach((bar, i) => {
        const db = Math.max(FLOOR, heard[i] ?? FLOOR, (shown.current[i] as number) - fall);
        if (db === shown.current[i]) return;
        shown.current[i] = db;
        if (bar.current) bar.current.style.transform = `translateX(${Math.min(0, -(100 * db) / FLOOR).toFixed(1)}%)`;
      });
      if (active || shown.current.some((db) => db > FLOOR)) frame = requestAnimationFrame(tick);
    }
    return () => cancelAnimationFrame(frame);
  }, [active]);
}

export function LevelBar({ bar, over = false }: { bar: RefObject<HTMLSpanElement | null>; over?: boolean }) {
  return (
    <span className="block h-[8px] grow overflow-hidden bg-well">
      <span ref={bar} className={`${BAR} ${over ? "bg-now" : "bg-snare"}`} style={{ transform: "translateX(-100%)" }} />
    </span>
  );
}
