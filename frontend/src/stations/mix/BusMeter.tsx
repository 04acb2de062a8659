/** The level of a bus: lying bar, and its peak over the loop. */
import { useEffect, useRef } from "react";

import { useSettled } from "../../app/settling";
import { useLoop } from "../../audio/loop";
import { fixed } from "../../design/format";
import { levelNow } from "./BusWave";

const FLOOR = -48;
const FALL_DB_A_FRAME = 0.7;

export function BusMeter({ bus, name }: { bus: string; name: string }) {
  const bar = useRef<HTMLSpanElement>(null);
  const shown = useRef(FLOOR);
  const playing = useLoop((s) => s.playing);
  const peak = useSettled((s) => (s.settled ? (s.settled.buses[bus]?.peak_db ?? null) : undefined));
  useEffect(() => {
    let frame = 0;
    function tick() {
      shown.current = Math.max(levelNow(bus), shown.current - FALL_DB_A_FRAME, FLOOR);
      if (bar.current) bar.current.style.transform = `scaleX(${Math.min(1, 1 - shown.current / FLOOR)})`;
      if (playing || shown.current > FLOOR) frame = requestAnimationFrame(tick);
    }
    tick();
    return () => cancelAnimationFrame(frame);
  }, [bus, playing]);
  return (
    <div className="flex items-center gap-2" title={`Peak of ${name} over the loop`}>
      <span className="block h-[8px] grow bg-well">
        <span
          ref={bar}
          className={`block h-full origin-left will-change-transform ${peak !== undefined && peak !== null && peak > 0 ? "bg-now" : "bg-snare"}`}
          style={{ transform: "scaleX(0)" }}
        />
      </span>
      <span className="w-[64px] text-right text-[11px] text-ink2" data-testid={`peak-${bus}`}>
        {peak === undefined ? "…" : peak === null ? "silent" : `${fixed(peak, 1)} dBFS`}
      </span>
    </div>
  );
}
