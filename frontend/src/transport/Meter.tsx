import { useRef, useState } from "react";

import { peaks } from "../audio/engine";
import { useLoop } from "../audio/loop";
import { usePreview } from "../audio/preview";
import { useSong } from "../audio/song";
import { useTape } from "../audio/tape";
import { useSounding } from "../audio/voices";
import { fixed } from "../design/format";
import { LevelBar, useLevels } from "../design/LevelBar";

/** From here on something went over full scale; where the mark for -6 dB stands, from the left. */
const OVER_DB = 0.01;
const MARK = 1 - 6 / 48;

/** Peak level of both sides, falling slowly; says so when anything went over full scale, until it is clicked. */
export function Meter() {
  const left = useRef<HTMLSpanElement>(null);
  const right = useRef<HTMLSpanElement>(null);
  const [over, setOver] = useState<number | null>(null);
  const loud = useLoop((s) => s.playing);
  const song = useSong((s) => s.playing);
  const tape = useTape((s) => s.playing !== null);
  const preview = usePreview((s) => s.preview !== null);
  const pads = useSounding((s) => Object.keys(s.sounding).length > 0);
  const active = loud || song || tape || preview || pads;

  function levels(): number[] {
    const now = peaks().map((peak) => 20 * Math.log10(Math.max(1e-6, peak)));
    const most = Math.max(...now);
    if (most > OVER_DB) setOver((before) => Math.max(before ?? 0, most));
    return now;
  }
  useLevels(active, levels, [left, right]);

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
        <LevelBar key={side} bar={bar} />
      ))}
      <span className="absolute top-0 h-full w-[1.5px] bg-ink2" style={{ left: `${MARK * 100}%` }} />
      {over === null ? null : (
        <span className="absolute -right-1 -bottom-3.5 text-[11px] font-semibold">+{over.toFixed(1)} dB over</span>
      )}
    </button>
  );
}
