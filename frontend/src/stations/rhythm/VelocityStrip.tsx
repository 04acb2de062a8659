/** How hard each hit of the chosen lane is struck, as bars; a sweep of the hand draws them. */
import { useRef, type PointerEvent } from "react";

import type { Hit, Pattern } from "../../api/types";
import { edit } from "../../app/edits";
import { usePocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { newGesture } from "../../design/NumberField";
import { INK, NOW, faded, roleColor } from "../../design/roles";
import { prepare } from "../../wave/draw";
import { usePaint, useWidth } from "../../wave/useCanvas";
import { bendOf } from "./grid/bend";
import { placeOf } from "./grid/paint";
import { beatsOf } from "./hits";

const TALL = 46;
const NAMES = 132;
/** Pixels that a hit reaches to both sides. */
const REACH = 7;
/** With more of them than this there is no room for their heads. */
const MOST_HEADS = 600;

export function VelocityStrip({
  pattern,
  pad,
  name,
  lines,
}: {
  pattern: Pattern;
  pad: number | null;
  name: string;
  lines: number[] | undefined;
}) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  const chosen = useView((s) => s.hits);
  const roles = usePocket((s) => s.open?.pocket.pads ?? {});
  const sweep = useRef<{ x: number; y: number; gesture: string; drawn: Record<string, number> } | null>(null);
  const beats = beatsOf(pattern);
  const mine = pattern.hits.filter((hit) => hit.beat < beats && (pad === null || hit.pad === pad));
  const bend = bendOf(lines, beats);
  const place = (hit: Hit) => (placeOf({ bend, pattern, moving: null }, hit) / beats) * width + 1;

  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, TALL);
    c.clearRect(0, 0, width, TALL);
    c.fillStyle = faded(INK, 0.12);
    for (const share of [40, 100]) c.fillRect(0, TALL - 2 - (share / 127) * (TALL - 6), width, 1);
    for (const hit of mine) {
      const velocity = sweep.current?.drawn[hit.id] ?? hit.velocity;
      const tall = Math.max(2, (velocity / 127) * (TALL - 6));
      c.fillStyle = chosen.includes(hit.id) ? NOW : roleColor(roles[hit.pad]?.role ?? null);
      c.fillRect(place(hit), TALL - 2 - tall, 3, tall);
      if (mine.length > MOST_HEADS) continue;
      c.beginPath();
      c.arc(place(hit) + 1.5, TALL - 2 - tall, 3, 0, 7);
      c.fill();
    }
    c.fillStyle = INK;
    c.fillRect(0, TALL - 2, width, 1);
  });
  function at(event: PointerEvent): { x: number; y: number } {
    const rect = box.current?.getBoundingClientRect();
    return { x: event.clientX - (rect?.left ?? 0), y: event.clientY - (rect?.top ?? 0) };
  }
  function velocityAt(y: number): number {
    return Math.round(Math.min(127, Math.max(1, ((TALL - 2 - y) / (TALL - 6)) * 127)));
  }
  /** All hits between two places of the hand, along the line between them. */
  function draw(from: { x: number; y: number }, to: { x: number; y: number }) {
    const now = sweep.current;
    if (!now) return;
    const [a, b] = from.x <= to.x ? [from, to] : [to, from];
    let changed = false;
    for (const hit of mine) {
      const x = place(hit) + 1.5;
      if (x < a.x - REACH || x > b.x + REACH) continue;
      const share = b.x - a.x < 1 ? 1 : Math.min(1, Math.max(0, (x - a.x) / (b.x - a.x)));
      const velocity = velocityAt(b.x - a.x < 1 ? to.y : a.y + (b.y - a.y) * share);
      changed ||= now.drawn[hit.id] !== velocity;
      now.drawn[hit.id] = velocity;
    }
    if (changed) void edit({ type: "set_velocities", pattern: pattern.id, velocities: { ...now.drawn } }, now.gesture);
  }

  return (
    <div className="mt-1.5 flex" style={{ height: TALL }}>
      <span className="truncate pr-2 pl-3 text-[11px] text-ink2" style={{ width: NAMES + 1 }}>
        velocity
        <br />
        {name}
      </span>
      <div
        ref={box}
        data-testid="velocities"
        role="img"
        aria-label={`Velocities of ${name}: draw them with the pointer; with keys, Shift with up and down on a step`}
        className="relative grow touch-none"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          sweep.current = { ...at(event), gesture: newGesture(), drawn: {} };
          draw(at(event), at(event));
        }}
        onPointerMove={(event) => {
          const now = sweep.current;
          if (!now) return;
          const to = at(event);
          draw(now, to);
          Object.assign(now, to);
        }}
        onPointerUp={() => (sweep.current = null)}
        onPointerCancel={() => (sweep.current = null)}
      >
        <canvas ref={canvas} style={{ width: width || "100%", height: TALL }} className="block" />
      </div>
    </div>
  );
}
