/** One source, large: wave, bands, slices or grid, playhead, selection; zoomed and moved by wheel, drag and keys. */
import { useRef } from "react";

import type { Source } from "../api/types";
import { heardPlace, useHeard } from "../audio/heard";
import { useCutting } from "../app/cutting";
import { usePocket } from "../app/pocket";
import { useView } from "../app/view";
import { Playhead } from "../design/Playhead";
import { roleColor } from "../design/roles";
import {
  BAND_HEIGHT,
  paintBands,
  paintChords,
  paintCursor,
  paintCuts,
  paintGrid,
  paintProposed,
  paintRule,
  paintRuler,
  paintSlices,
  paintSpan,
  paintWave,
  prepare,
  type Frame,
} from "./draw";
import { FLAG, RULER } from "./handles";
import { useLines } from "./lines";
import { sliceMarks } from "./marks";
import { Said } from "./Said";
import { type How, useWaveHand } from "./useWaveHand";
import { whole } from "./viewport";
import { usePaint, useWidth } from "./useCanvas";

interface Props {
  source: Source;
  height: number;
  /** Show cuts, and let them be moved. */
  cutting: boolean;
  /** Shown under the bands. */
  chords?: { start: number; end: number; label: string }[];
  /** A slice was clicked, to choose it alone, with others, or all up to it. */
  onSlice?: (cut: string, how: How) => void;
}

const CHORD_HEIGHT = 16;
const BY_HAND = "Wheel zooms, drag selects; double click a bar number to select the bar, drag it to move the grid";
const CUTS_BY_HAND = "; double click adds a cut, drag its flag to move it";
const BY_KEYS = "By keys: [ and ] move the cursor, M marks, the arrows move what is chosen.";

export function WaveView({ source, height, cutting, chords, onSlice }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  const span = useView((s) => s.windows[source.id]) ?? whole(source.frames);
  const selection = useView((s) => (s.selection?.source === source.id ? s.selection : null));
  const cursor = useView((s) => s.cursor);
  const chosen = useView((s) => s.cuts);
  const playing = useHeard(source.audio);
  const perPixel = (span.end - span.start) / Math.max(1, width);
  const waveHeight = height - RULER - BAND_HEIGHT * 3 - 12 - (chords ? CHORD_HEIGHT : 0);
  const bottom = RULER + waveHeight;
  const marks = cutting ? sliceMarks(source) : [];
  const grid = useLines(source);
  const rate = usePocket((s) => s.open?.pocket.rate ?? 44100);
  const proposed = useCutting((s) =>
    cutting && s.trying?.source === source.id && s.proposed?.source === source.id ? s.proposed : null,
  );
  const frame: Frame = { hash: source.audio, frames: source.frames, start: span.start, perPixel, width };

  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, height);
    const on = new Set(chosen);
    c.clearRect(0, 0, width, height);
    if (grid) paintRuler(c, frame, grid, RULER);
    c.save();
    c.translate(0, RULER);
    if (!proposed) paintSlices(c, frame, marks, waveHeight, on);
    if (grid && !cutting) paintGrid(c, frame, grid, 0, waveHeight);
    if (selection) paintSpan(c, frame, selection.start, selection.end, waveHeight);
    paintWave(c, frame, cutting ? FLAG : 4, waveHeight - (cutting ? FLAG + 2 : 8));
    if (cutting && proposed) paintProposed(c, frame, proposed.at, proposed.roles.map(roleColor), waveHeight);
    else if (cutting) paintCuts(c, frame, marks, waveHeight, on);
    c.restore();
    paintRule(c, RULER - 1, width);
    paintRule(c, bottom, width);
    if (grid) paintGrid(c, frame, grid, bottom, 8);
    paintBands(c, frame, bottom + 10);
    if (chords) paintChords(c, frame, chords, height - CHORD_HEIGHT, CHORD_HEIGHT - 1);
    if (!playing) paintCursor(c, frame, cursor, height);
  });

  const head = () => {
    const x = (heardPlace() - span.start) / perPixel;
    return x < -8 || x > width + 8 ? null : x;
  };

  const hand = useWaveHand({ source, box, frame, span, grid, marks, selection, bottom, cutting, playing, onSlice });

  return (
    <div
      ref={box}
      role="application"
      aria-label={`Wave of ${source.name}. ${BY_HAND}${cutting ? CUTS_BY_HAND : ""}. ${BY_KEYS}`}
      tabIndex={0}
      data-wave={source.id}
      className="relative shrink-0 touch-none overflow-hidden rounded-t-[4px] border-[1.5px] border-ink bg-card"
      style={{ height: height + 3, cursor: hand.over ? "ew-resize" : "text" }}
      {...hand.on}
    >
      <canvas ref={canvas} style={{ width: width || "100%", height }} className="block" />
      <Said source={source} grid={grid} rate={rate} />
      <Playhead flag moving={playing} at={head} />
      <div
        className="pointer-events-none absolute right-1 flex flex-col text-[11px] leading-[13px] text-ink2"
        style={{ top: bottom + 9 }}
      >
        {["high", "mid", "low"].map((band) => (
          <span key={band} className="rounded-[2px] bg-card/85 px-1 text-right">
            {band}
          </span>
        ))}
      </div>
    </div>
  );
}
