import { memo, useRef } from "react";

import { INK } from "../design/roles";
import { paintWave, prepare } from "./draw";
import { usePaint, useWidth } from "./useCanvas";

interface Props {
  hash: string;
  frames: number;
  start: number;
  end: number;
  height: number;
  color?: string;
  /** Fill the height, however quiet it is. */
  fit?: boolean;
}

/** A stretch of a source as a small picture that fills its box. */
export const MiniWave = memo(function MiniWave({ hash, frames, start, end, height, color = INK, fit = false }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, height);
    c.clearRect(0, 0, width, height);
    const perPixel = Math.max(64, (end - start) / width);
    paintWave(
      c,
      { hash, frames, start, perPixel, width: Math.min(width, Math.ceil((end - start) / perPixel)) },
      0,
      height,
      color,
      fit,
    );
  });
  return (
    <div ref={box} aria-hidden className="w-full overflow-hidden" style={{ height }}>
      <canvas ref={canvas} style={{ width: width || "100%", height }} className="block" />
    </div>
  );
});
