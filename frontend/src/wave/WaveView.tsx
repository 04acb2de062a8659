/** One source, large: wave, bands, slices or grid, playhead, selection; zoomed and moved by wheel, drag and keys. */
import { useRef, useState, type PointerEvent } from "react";

import type { Source } from "../api/types";
import { heardPlace, useHeard } from "../audio/heard";
import { tapePlayer, useTape } from "../audio/tape";
import { hearMoved, moveGrid } from "../app/actions";
import { useCutting } from "../app/cutting";
import { edit } from "../app/edits";
import { fits, playFitted } from "../app/fitting";
import { usePocket } from "../app/pocket";
import { select, settleSelection, snapped } from "../app/selecting";
import { type Span, useView } from "../app/view";
import { newGesture } from "../design/NumberField";
import { Playhead } from "../design/Playhead";
import { roleColor } from "../design/roles";
import { useWheel } from "../design/useWheel";
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
import { FLAG, type Handle, handleAt, RULER } from "./handles";
import { useLines } from "./lines";
import { sliceMarks } from "./marks";
import { Said } from "./Said";
import { barAt, unitAt } from "./span";
import { panned, whole, zoomed } from "./viewport";
import { usePaint, useWidth } from "./useCanvas";

interface Props {
  source: Source;
  height: number;
  /** Show cuts, and let them be moved. */
  cutting: boolean;
  /** Shown under the bands. */
  chords?: { start: number; end: number; label: string }[];
  /** A slice was clicked, to choose it alone, with others, or all up to it. */
  onSlice?: (cut: string, how: "one" | "toggle" | "range") => void;
}

const CHORD_HEIGHT = 16;
/** Further than this is a drag. */
const STILL = 4;

type How = "one" | "toggle" | "range";
type Drag = { x: number; place: number; moved: boolean; gesture: string } & (
  | { kind: "cut"; cut: string; grab: number }
  | { kind: "bar"; index: number; last: number; shift: boolean }
  | { kind: "edge"; fixed: number }
  | { kind: "select"; from: Promise<number>; how: How }
);

const BY_HAND = "Wheel zooms, drag selects; double click a bar number to select the bar, drag it to move the grid";
const CUTS_BY_HAND = "; double click adds a cut, drag its flag to move it";
const BY_KEYS = "By keys: [ and ] move the cursor, M marks, the arrows move what is chosen.";

export function WaveView({ source, height, cutting, chords, onSlice }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  const drag = useRef<Drag | null>(null);
  const [hover, setHover] = useState<string | null>(null);
  const span = useView((s) => s.windows[source.id]) ?? whole(source.frames);
  const selection = useView((s) => (s.selection?.source === source.id ? s.selection : null));
  const cursor = useView((s) => s.cursor);
  const chosen = useView((s) => s.cuts);
  const { look, setWindow } = useView.getState();
  const playing = useHeard(source.audio);
  const onTape = useTape((s) => s.playing === source.audio);
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

  useWheel(box, (event) => {
    event.preventDefault();
    const x = event.clientX - (box.current?.getBoundingClientRect().left ?? 0);
    const sideways = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
    if (Math.abs(sideways) > Math.abs(event.shiftKey ? 0 : event.deltaY))
      setWindow(source.id, panned(span, sideways * perPixel, source.frames));
    else setWindow(source.id, zoomed(span, Math.exp(event.deltaY * 0.0025), span.start + x * perPixel, source.frames));
  });

  function at(event: { clientX: number }): number {
    const left = box.current?.getBoundingClientRect().left ?? 0;
    return Math.min(source.frames, Math.max(0, Math.round(span.start + (event.clientX - left) * perPixel)));
  }
  function handle(event: { clientX: number; clientY: number }): Handle | null {
    const rect = box.current?.getBoundingClientRect();
    return rect
      ? handleAt({ frame, grid, marks, selection, bottom }, event.clientX - rect.left, event.clientY - rect.top)
      : null;
  }
  const bar = (index: number): Span | null => (grid ? barAt(grid, grid.beats[index] as number, source.frames) : null);

  function onPointerDown(event: PointerEvent) {
    if (event.button !== 0) return;
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    const place = at(event);
    const held = handle(event);
    const base = { x: event.clientX, place, moved: false, gesture: newGesture() };
    if (held?.kind === "cut") {
      drag.current = {
        ...base,
        kind: "cut",
        cut: held.cut,
        grab: place - (marks.find((m) => m.id === held.cut)?.start ?? place),
      };
      look({ cuts: [held.cut] });
    } else if (held?.kind === "bar")
      drag.current = { ...base, kind: "bar", index: held.index, last: place, shift: event.shiftKey };
    else if (held && selection)
      drag.current = { ...base, kind: "edge", fixed: held.edge === "start" ? selection.end : selection.start };
    else
      drag.current = {
        ...base,
        kind: "select",
        from: snapped(source, grid, place, event.altKey),
        how: event.shiftKey ? "range" : event.ctrlKey || event.metaKey ? "toggle" : "one",
      };
  }
  function onPointerMove(event: PointerEvent) {
    const now = drag.current;
    if (!now) {
      const found = handle(event);
      if ((found?.kind ?? null) !== hover) setHover(found?.kind ?? null);
      return;
    }
    const place = at(event);
    if (Math.abs(event.clientX - now.x) > STILL) now.moved = true;
    if (!now.moved) return;
    if (now.kind === "bar") {
      if (place !== now.last) moveGrid(source, place - now.last, now.gesture);
      now.last = place;
    } else if (now.kind === "cut") {
      void edit(
        {
          type: "move_cut",
          source: source.id,
          cut: now.cut,
          at: Math.max(0, place - now.grab),
          snap: event.altKey ? "off" : useView.getState().snap,
        },
        now.gesture,
      );
    } else void stretch(now.kind === "edge" ? now.fixed : now.from, place, event.altKey);
  }
  /** Select from where the drag began to a place, both where they snap to; never nothing. */
  async function stretch(from: number | Promise<number>, place: number, free: boolean) {
    const [first, last] = await Promise.all([from, snapped(source, grid, place, free)]);
    const snap = useView.getState().selectSnap;
    const unit =
      first === last && grid && !free && (snap === "bars" || snap === "beats")
        ? unitAt(grid, place, snap === "bars", source.frames)
        : null;
    if (unit || first !== last) select(source, unit ?? { start: first, end: last });
  }
  function onPointerUp(event: PointerEvent) {
    const now = drag.current;
    drag.current = null;
    if (!now) return;
    if (now.kind === "cut") {
      if (!now.moved) onSlice?.(now.cut, "one");
      else hearMoved();
    } else if (now.moved) {
      if (now.kind !== "bar") settleSelection(source);
    } else if (now.kind === "bar" && now.shift && selection) {
      const one = bar(now.index);
      if (one) select(source, { start: Math.min(selection.start, one.start), end: Math.max(selection.end, one.end) });
    } else if (now.kind === "select" && now.how === "range" && !cutting && selection) {
      const nearStart = Math.abs(now.place - selection.start) < Math.abs(now.place - selection.end);
      void stretch(nearStart ? selection.end : selection.start, now.place, event.altKey);
    } else if (now.kind !== "edge")
      click(
        now.kind === "bar" ? (grid?.beats[now.index] ?? now.place) : now.place,
        now.kind === "select" ? now.how : null,
      );
  }
  function click(place: number, how: How | null) {
    look({ cursor: place, selection: null, mark: null });
    const slice = how && marks.findLast((mark) => mark.start <= place);
    if (slice && place < slice.end) onSlice?.(slice.id, how);
    else if (playing && !onTape && fits()) void playFitted(source, place, source.frames, false);
    else if (onTape) void tapePlayer.play(source.audio, source.frames, place, null);
  }
  function onDoubleClick(event: React.MouseEvent) {
    const held = handle(event);
    const one = held?.kind === "bar" ? bar(held.index) : null;
    if (one) select(source, one);
    else if (cutting && !held)
      void edit({
        type: "add_cut",
        source: source.id,
        at: at(event),
        snap: event.altKey ? "off" : useView.getState().snap,
      });
  }

  return (
    <div
      ref={box}
      role="application"
      aria-label={`Wave of ${source.name}. ${BY_HAND}${cutting ? CUTS_BY_HAND : ""}. ${BY_KEYS}`}
      tabIndex={0}
      data-wave={source.id}
      className="relative shrink-0 touch-none overflow-hidden rounded-t-[4px] border-[1.5px] border-ink bg-card"
      style={{ height: height + 3, cursor: hover ? "ew-resize" : "text" }}
      onPointerDown={onPointerDown}
      onPointerMove={onPointerMove}
      onPointerUp={onPointerUp}
      onPointerLeave={() => setHover(null)}
      onDoubleClick={onDoubleClick}
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
