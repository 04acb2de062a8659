import { useRef, type PointerEvent } from "react";

import type { Source } from "../api/types";
import { useView } from "../app/view";
import { heardPlace, useHeard } from "../audio/heard";
import { Playhead } from "../design/Playhead";
import { paintCursor, paintWave, prepare, type Frame } from "./draw";
import { usePaint, useWidth } from "./useCanvas";
import { clampSpan, whole } from "./viewport";
import { faded, INK } from "../design/roles";

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
      c.strokeStyle = INK;
      c.lineWidth = 2;
      c.fillStyle = faded(INK, 0.09);
      const left = span.start / perPixel;
      const wide = Math.max(4, (span.end - span.start) / perPixel);
      c.fillRect(left, 0, wide, height);
      c.strokeRect(left + 1, 1, wide - 2, height - 2);
    }
    if (!playing) paintCursor(c, frame, cursor, height);
  });

  function at(event: PointerEvent): number {
    return (event.clientX - (box.current?.getBoundingClientRect().left ?? 0)) * perPixel;
  }
  return (
    <div
      ref={box}
      role="application"
      aria-label={`All of ${source.name}: drag to move what is shown below`}
      className="relative shrink-0 cursor-grab touch-none overflow-hidden rounded-[4px] border-[1.5px] border-ink bg-card active:cursor-grabbing"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const place = at(event);
        const length = span.end - span.start;
        const inside = place >= span.start && place <= span.end && length < source.frames;
        grab.current = inside ? place - span.start : length / 2;
        if (!inside)
          setWindow(source.id, clampSpan({ start: place - length / 2, end: place + length / 2 }, source.frames));
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
      <Playhead flag moving={playing} at={() => heardPlace() / perPixel} />
    </div>
  );
}
