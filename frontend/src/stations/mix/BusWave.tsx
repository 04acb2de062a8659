/** A bus over the loop: its own wave, what its effects take away hatched out of it, and the playhead. */
import { useRef } from "react";

import { useSettled } from "../../app/settling";
import { inLoop, loopPlayer, useLoop } from "../../audio/loop";
import { Playhead } from "../../design/Playhead";
import { INK, NOW, faded } from "../../design/roles";
import { prepare } from "../../wave/draw";
import { usePaint, useWidth } from "../../wave/useCanvas";

const FULL_DB = 24;

export function BusWave({ bus, height, color = INK }: { bus: string; height: number; color?: string }) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  const settled = useSettled((s) => s.settled);
  const playing = useLoop((s) => s.playing);
  const picture = settled?.buses[bus];
  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, height);
    c.clearRect(0, 0, width, height);
    const middle = height / 2;
    c.fillStyle = faded(INK, 0.18);
    c.fillRect(0, Math.round(middle), width, 1);
    if (picture) {
      paintWave(c, picture.low, picture.high, width, height, color);
      for (const taken of Object.values(picture.taken)) paintTaken(c, taken, width, height);
    }
  });
  return (
    <div ref={box} aria-hidden className="relative min-w-0 overflow-hidden" style={{ height }}>
      <canvas ref={canvas} style={{ width: width || "100%", height }} className="block" />
      <Playhead moving={playing} at={() => inLoop(width)} />
    </div>
  );
}

/** Quiet buses are seen too: along the square root, between how they swing and how they are heard. */
function tall(value: number): number {
  return Math.min(1, Math.sqrt(Math.abs(value)));
}

function paintWave(
  c: CanvasRenderingContext2D,
  low: number[],
  high: number[],
  width: number,
  height: number,
  color: string,
): void {
  c.fillStyle = color;
  const count = high.length;
  const middle = height / 2;
  for (let x = 0; x < width; x++) {
    const first = Math.floor((x / width) * count);
    const last = Math.max(first + 1, Math.floor(((x + 1) / width) * count));
    let up = 0;
    let down = 0;
    for (let i = first; i < last; i++) {
      up = Math.max(up, high[i] ?? 0);
      down = Math.min(down, low[i] ?? 0);
    }
    const top = tall(up) * middle;
    const bottom = tall(down) * middle;
    if (top + bottom > 0.5) c.fillRect(x, middle - top, 1, top + bottom);
  }
}

/** Hatching, as deep as what is taken away. */
function paintTaken(c: CanvasRenderingContext2D, taken: number[], width: number, height: number): void {
  c.strokeStyle = NOW;
  c.globalAlpha = 0.75;
  c.lineWidth = 1;
  for (let x = 0; x < width; x += 5) {
    const db = -(taken[Math.floor((x / width) * taken.length)] ?? 0);
    if (db < 0.5) continue;
    const deep = Math.min(1, db / FULL_DB) * height;
    c.beginPath();
    c.moveTo(x + 3, 0);
    c.lineTo(x - 2, deep);
    c.stroke();
  }
  c.globalAlpha = 1;
}

/** The loudest sample of a bus within the last twentieth of a second of the loop, in dBFS. */
export function levelNow(bus: string): number {
  const { settled } = useSettled.getState();
  const picture = settled?.buses[bus];
  const loop = loopPlayer.loop();
  if (!picture || !loop || !useLoop.getState().playing) return -96;
  const at = Math.floor(loopPlayer.place() / settled.step);
  let peak = 0;
  for (let i = Math.max(0, at - 4); i <= at; i++) peak = Math.max(peak, picture.high[i] ?? 0, -(picture.low[i] ?? 0));
  return 20 * Math.log10(Math.max(1e-5, peak));
}
