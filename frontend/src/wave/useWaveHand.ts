/** The hand on a wave: wheel, drags of cuts, bars and edges, selecting, clicks and double clicks. */
import { useRef, useState, type MouseEvent, type PointerEvent, type RefObject } from "react";

import type { Source } from "../api/types";
import { tapePlayer, useTape } from "../audio/tape";
import { hearMoved, moveGrid } from "../app/actions";
import { edit } from "../app/edits";
import { fits, playFitted } from "../app/fitting";
import { select, settleSelection, snapped } from "../app/selecting";
import { type Span, useView } from "../app/view";
import { newGesture } from "../design/NumberField";
import { useWheel } from "../design/useWheel";
import { type Handle, handleAt, type Layout } from "./handles";
import { barAt, unitAt } from "./span";
import { panned, zoomed } from "./viewport";

/** Further than this is a drag. */
const STILL = 4;

export type How = "one" | "toggle" | "range";
type Drag = { x: number; place: number; moved: boolean; gesture: string } & (
  | { kind: "cut"; cut: string; grab: number }
  | { kind: "bar"; index: number; last: number; shift: boolean }
  | { kind: "edge"; fixed: number }
  | { kind: "select"; from: Promise<number>; how: How }
);

interface Wave extends Layout {
  source: Source;
  box: RefObject<HTMLDivElement | null>;
  span: Span;
  cutting: boolean;
  playing: boolean;
  onSlice: ((cut: string, how: How) => void) | undefined;
}

/** over: there is something to drag under the pointer; on: what the wave's element listens to. */
export function useWaveHand(wave: Wave) {
  const { source, box, frame, span, grid, marks, selection, bottom, cutting, playing, onSlice } = wave;
  const { perPixel } = frame;
  const drag = useRef<Drag | null>(null);
  const [hover, setHover] = useState<string | null>(null);
  const onTape = useTape((s) => s.playing === source.audio);
  const { look, setWindow } = useView.getState();

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
  function onDoubleClick(event: MouseEvent) {
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

  const on = { onPointerDown, onPointerMove, onPointerUp, onPointerLeave: () => setHover(null), onDoubleClick };
  return { over: hover !== null, on };
}
