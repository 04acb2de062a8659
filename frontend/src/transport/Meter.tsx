import { useEffect, useRef, useState } from "react";

import { peaks } from "../audio/engine";
import { useLoop } from "../audio/loop";
import { usePreview } from "../audio/preview";
import { useSong } from "../audio/song";
import { useTape } from "../audio/tape";
import { useSounding } from "../audio/voices";
import { fixed } from "../design/format";

const FLOOR = -48;
const FALL_DB_A_FRAME = 0.7;

/** Peak level of both sides, falling slowly; says so when anything went over full scale, until it is clicked. */
export function Meter() {
  const bars = [useRef<HTMLDivElement>(null), useRef<HTMLDivElement>(null)];
  const [left, right] = bars as [React.RefObject<HTMLDivElement>, React.RefObject<HTMLDivElement>];
  const shown = useRef<[number, number]>([FLOOR, FLOOR]);
  const [over, setOver] = useState<number | null>(null);
  const loud = useLoop((s) => s.playing);
  const song = useSong((s) => s.playing);
  const tape = useTape((s) => s.playing !== null);
  const preview = usePreview((s) => s.preview !== null);
  const pads = useSounding((s) => Object.keys(s.sounding).length > 0);
  const active = loud || song || tape || preview || pads;

  useEffect(() => {
    let frame = 0;
    function tick() {
      const now = active ? peaks() : [0, 0];
      [left, right].forEach((bar, side) => {
        const db = 20 * Math.log10(Math.max(1e-6, now[side] as number));
        if (db > 0.01) setOver((before) => Math.max(before ?? 0, db));
        const level = Math.max(db, (shown.current[side] as number) - FALL_DB_A_FRAME, FLOOR);
        shown.current[side] = level;
        if (bar.current) bar.current.style.transform = `scaleX(${Math.min(1, 1 - level / FLOOR)})`;
      });
      if (active || shown.current.some((level) => level > FLOOR)) frame = requestAnimationFrame(tick);
    }
    tick();
    return () => cancelAnimationFrame(frame);
  }, [active, left, right]);

  return (
    <button
      type="button"
      aria-label={over === null ? "Level meter" : `Level went ${fixed(over, 1)} dB over full scale; click to clear`}
      title={
        over === null
          ? "Peak level, -48 to 0 dBFS"
          : `Went ${fixed(over, 1)} dB over full scale. Turn the level down; click to clear.`
      }
      onClick={() => setOver(null)}
      className="relative flex w-[120px] min-w-[48px] shrink flex-col gap-[3px]"
    >
      {[left, right].map((bar, side) => (
        <span key={side} className="block h-[8px] bg-well">
          <span
            ref={bar}
            className="block h-full origin-left bg-snare will-change-transform"
            style={{ transform: "scaleX(0)" }}
          />
        </span>
      ))}
      <span className="absolute top-0 h-full w-[1.5px] bg-ink2" style={{ left: `${(1 - -6 / FLOOR) * 100}%` }} />
      {over === null ? null : (
        <span className="absolute -right-1 -bottom-3.5 text-[11px] font-semibold">+{over.toFixed(1)} dB over</span>
      )}
    </button>
  );
}
