/** One source, large: wave, bands, slices or grid, playhead, selection; zoomed and moved by wheel, drag and keys. */
import { useRef, useState, type PointerEvent } from "react";

import type { Source } from "../api/types";
import { heardPlace, useHeard } from "../audio/heard";
import { tapePlayer, useTape } from "../audio/tape";
import { hearMoved, moveGrid } from "../app/actions";
import { useCutting } from "../app/cutting";
import { edit } from "../app/edits";
import { fits, playFitted } from "../app/fitting";
import { useView } from "../app/view";
import { newGesture } from "../design/NumberField";
import { roleColor } from "../design/roles";
import { useWheel } from "../design/useWheel";
import { BAND_HEIGHT, paintBands, paintChords, paintCuts, paintGrid, paintPlace, paintProposed, paintRule, paintSlices, paintSpan, paintWave, prepare, type Frame } from "./draw";
import { beatBefore, sliceMarks } from "./marks";
import { useLines } from "./lines";
import { clampSpan, panned, whole, zoomed } from "./viewport";
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

const GRIP = 5;
const CHORD_HEIGHT = 16;

type Drag =
  | { kind: "cut"; cut: string; gesture: string; moved: boolean; grab: number }
  | { kind: "grid"; gesture: string; last: number; moved: boolean }
  | { kind: "select"; from: number; fromX: number; moved: boolean; how: "one" | "toggle" | "range" };

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
  const waveHeight = height - BAND_HEIGHT * 3 - 12 - (chords ? CHORD_HEIGHT : 0);
  const marks = cutting ? sliceMarks(source) : [];
  const grid = useLines(source);
  const proposed = useCutting((s) => (cutting && s.trying?.source === source.id && s.proposed?.source === source.id ? s.proposed : null));

  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, height);
    const frame: Frame = { hash: source.audio, frames: source.frames, start: span.start, perPixel, width };
    const on = new Set(chosen);
    c.clearRect(0, 0, width, height);
    if (!proposed) paintSlices(c, frame, marks, waveHeight, on);
    if (grid && !cutting) paintGrid(c, frame, grid, 0, waveHeight, true);
    paintWave(c, frame, cutting ? 14 : 4, waveHeight - (cutting ? 16 : 8));
    paintRule(c, waveHeight, width);
    if (grid) paintGrid(c, frame, grid, waveHeight, 8, false);
    paintBands(c, frame, waveHeight + 10);
    if (chords) paintChords(c, frame, chords, height - CHORD_HEIGHT, CHORD_HEIGHT - 1);
    if (cutting && proposed) paintProposed(c, frame, proposed.at, proposed.roles.map(roleColor), waveHeight);
    else if (cutting) paintCuts(c, frame, marks, waveHeight, on);
    if (selection) paintSpan(c, frame, selection.start, selection.end, waveHeight);
    paintPlace(c, frame, playing ? heardPlace() : cursor, height, playing);
  }, playing);

  useWheel(box, (event) => {
    event.preventDefault();
    const x = event.clientX - (box.current?.getBoundingClientRect().left ?? 0);
    const sideways = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
    if (Math.abs(sideways) > Math.abs(event.shiftKey ? 0 : event.deltaY)) setWindow(source.id, panned(span, sideways * perPixel, source.frames));
    else setWindow(source.id, zoomed(span, Math.exp(event.deltaY * 0.0025), span.start + x * perPixel, source.frames));
  });

  function at(event: PointerEvent): number {
    const left = box.current?.getBoundingClientRect().left ?? 0;
    return Math.min(source.frames, Math.max(0, Math.round(span.start + (event.clientX - left) * perPixel)));
  }
  function cutNear(event: PointerEvent | React.MouseEvent): string | null {
    if (!cutting || !box.current) return null;
    const rect = box.current.getBoundingClientRect();
    const x = event.clientX - rect.left;
    // The tag with the number is a handle too.
    const reach = event.clientY - rect.top < 14 ? 15 : GRIP;
    let best: string | null = null;
    let distance = Infinity;
    for (const mark of marks) {
      const away = x - (mark.start - span.start) / perPixel;
      if (away > -GRIP && away < reach && Math.abs(away) < distance) {
        best = mark.id;
        distance = Math.abs(away);
      }
    }
    return best;
  }

  /** A bar line's head, at the top of the wave, is a handle that moves the whole grid. */
  function barNear(event: PointerEvent | React.MouseEvent): boolean {
    if (cutting || !grid || !box.current) return false;
    const rect = box.current.getBoundingClientRect();
    if (event.clientY - rect.top > 14) return false;
    const place = span.start + (event.clientX - rect.left) * perPixel;
    const i = beatBefore(grid, place + GRIP * perPixel);
    return i >= 0 && grid.bars[i] === true && Math.abs((grid.beats[i] as number) - place) <= GRIP * perPixel;
  }

  function onPointerDown(event: PointerEvent) {
    if (event.button !== 0) return;
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    const cut = cutNear(event);
    const place = at(event);
    if (cut) {
      const mark = marks.find((m) => m.id === cut);
      drag.current = { kind: "cut", cut, gesture: newGesture(), moved: false, grab: place - (mark?.start ?? place) };
      look({ cuts: [cut] });
    } else if (barNear(event)) drag.current = { kind: "grid", gesture: newGesture(), last: place, moved: false };
    else drag.current = { kind: "select", from: place, fromX: event.clientX, moved: false, how: event.shiftKey ? "range" : event.ctrlKey || event.metaKey ? "toggle" : "one" };
  }
  function onPointerMove(event: PointerEvent) {
    const now = drag.current;
    if (!now) {
      const near = cutNear(event) ?? (barNear(event) ? "grid" : null);
      if (near !== hover) setHover(near);
      return;
    }
    const place = at(event);
    if (now.kind === "grid") {
      if (place === now.last) return;
      now.moved = true;
      moveGrid(source, place - now.last, now.gesture);
      now.last = place;
    } else if (now.kind === "cut") {
      now.moved = true;
      void edit({ type: "move_cut", source: source.id, cut: now.cut, at: Math.max(0, place - now.grab), snap: event.altKey ? "off" : useView.getState().snap }, now.gesture);
    } else {
      if (Math.abs(event.clientX - now.fromX) > 4) now.moved = true;
      if (now.moved) look({ selection: { source: source.id, start: Math.min(now.from, place), end: Math.max(now.from, place) } });
    }
  }
  function onPointerUp(event: PointerEvent) {
    const now = drag.current;
    drag.current = null;
    if (!now) return;
    if (now.kind === "grid") return;
    if (now.kind === "cut") {
      if (!now.moved) onSlice?.(now.cut, "one");
      else hearMoved();
      return;
    }
    if (now.moved) return;
    const place = at(event);
    look({ cursor: place, selection: null });
    const slice = marks.findLast((mark) => mark.start <= place);
    if (slice && place < slice.end) onSlice?.(slice.id, now.how);
    else if (playing && !onTape && fits()) void playFitted(source, place, source.frames, false);
    else if (onTape) void tapePlayer.play(source.audio, source.frames, place, null);
  }

  return (
    <div
      ref={box}
      role="application"
      aria-label={`Wave of ${source.name}. Wheel zooms, drag selects${cutting ? ", double click adds a cut, drag a line to move it" : ", drag a bar number to move the grid"}.`}
      tabIndex={0}
      data-wave={source.id}
      className="relative shrink-0 touch-none overflow-hidden rounded-[4px] border-[1.5px] border-ink bg-card"
      style={{ height: height + 3, cursor: hover ? "ew-resize" : "text" }}
      onPointerDown={onPointerDown}
      onPointerMove={onPointerMove}
      onPointerUp={onPointerUp}
      onPointerLeave={() => setHover(null)}
      onDoubleClick={(event) => {
        if (cutting && !cutNear(event)) void edit({ type: "add_cut", source: source.id, at: at(event as unknown as PointerEvent), snap: event.altKey ? "off" : useView.getState().snap });
      }}
    >
      <canvas ref={canvas} style={{ width: width || "100%", height }} className="block" />
      <div className="pointer-events-none absolute right-1 flex flex-col text-[9.5px] leading-[13px] text-ink2" style={{ top: waveHeight + 9 }}>
        {["high", "mid", "low"].map((band) => (
          <span key={band} className="rounded-[2px] bg-card/85 px-1 text-right">
            {band}
          </span>
        ))}
      </div>
    </div>
  );
}

/** The whole source in a strip, with the visible stretch as a window to drag. */
export function Overview({ source, height = 34 }: { source: Source; height?: number }) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  const grab = useRef<number | null>(null);
  const span = useView((s) => s.windows[source.id]) ?? whole(source.frames);
  const cursor = useView((s) => s.cursor);
  const { setWindow } = useView.getState();
  const playing = useHeard(source.audio);
  const perPixel = source.frames / Math.max(1, width);

  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, height);
    const frame: Frame = { hash: source.audio, frames: source.frames, start: 0, perPixel, width };
    c.clearRect(0, 0, width, height);
    paintWave(c, frame, 2, height - 4);
    if (span.end - span.start < source.frames * 0.999) {
      c.strokeStyle = "#2a1b33";
      c.lineWidth = 2;
      c.fillStyle = "rgba(42,27,51,0.09)";
      const left = span.start / perPixel;
      const wide = Math.max(4, (span.end - span.start) / perPixel);
      c.fillRect(left, 0, wide, height);
      c.strokeRect(left + 1, 1, wide - 2, height - 2);
    }
    paintPlace(c, frame, playing ? heardPlace() : cursor, height, playing);
  }, playing);

  function at(event: PointerEvent): number {
    return (event.clientX - (box.current?.getBoundingClientRect().left ?? 0)) * perPixel;
  }
  return (
    <div
      ref={box}
      role="application"
      aria-label={`All of ${source.name}: drag to move what is shown below`}
      className="shrink-0 cursor-grab touch-none overflow-hidden rounded-[4px] border-[1.5px] border-ink bg-card active:cursor-grabbing"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const place = at(event);
        const length = span.end - span.start;
        const inside = place >= span.start && place <= span.end && length < source.frames;
        grab.current = inside ? place - span.start : length / 2;
        if (!inside) setWindow(source.id, clampSpan({ start: place - length / 2, end: place + length / 2 }, source.frames));
      }}
      onPointerMove={(event) => {
        if (grab.current === null) return;
        const start = at(event) - grab.current;
        setWindow(source.id, clampSpan({ start, end: start + span.end - span.start }, source.frames));
      }}
      onPointerUp={() => {
        grab.current = null;
      }}
      onDoubleClick={() => setWindow(source.id, whole(source.frames))}
    >
      <canvas ref={canvas} style={{ width: width || "100%", height }} className="block" />
    </div>
  );
}
