/** The level of a bus: lying bar, and its peak over the loop. */
import { useRef } from "react";

import { useSettled } from "../../app/settling";
import { useLoop } from "../../audio/loop";
import { fixed } from "../../design/format";
import { LevelBar, useLevels } from "../../design/LevelBar";
import { levelNow } from "./BusWave";

export function BusMeter({ bus, name }: { bus: string; name: string }) {
  const bar = useRef<HTMLSpanElement>(null);
  const playing = useLoop((s) => s.playing);
  const peak = useSettled((s) => (s.settled ? (s.settled.buses[bus]?.peak_db ?? null) : undefined));
  useLevels(playing, () => [levelNow(bus)], [bar]);
  return (
    <div className="flex items-center gap-2" title={`Peak of ${name} over the loop`}>
      <LevelBar bar={bar} over={typeof peak === "number" && peak > 0} />
      <span className="w-[64px] text-right text-[11px] text-ink2" data-testid={`peak-${bus}`}>
        {peak === undefined ? "…" : peak === null ? "silent" : `${fixed(peak, 1)} dBFS`}
      </span>
    </div>
  );
}
