/** A thread's points in one line of the song: where they stand, what they say between them, and how they are drawn. */
import type { Thread } from "../../api/types";
import { faded, INK, NOW } from "../../design/roles";
import type { Control } from "./controls";

export const THREAD = 50;
const NEAR = 9;

export type Point = Thread["points"][number];

/** Where a line lies: beats of the song, and pixels. */
export interface Line {
  first: number;
  last: number;
  perBeat: number;
  /** Where its thread begins from above. */
  top: number;
}

export function across(line: Line, beat: number): number {
  return (beat - line.first) * line.perBeat;
}

export function down(line: Line, parameter: Control["parameter"], value: number): number {
  return line.top + 6 + (1 - share(parameter, value)) * (THREAD - 12);
}

export function valueDown(line: Line, parameter: Control["parameter"], y: number): number {
  return fromShare(parameter, 1 - (y - line.top - 6) / (THREAD - 12));
}

/** The point under a place, or -1. */
export function nearest(line: Line, parameter: Control["parameter"], points: Point[], x: number, y: number): number {
  return points.findIndex((one) => Math.hypot(across(line, one.beat) - x, down(line, parameter, one.value) - y) < NEAR);
}

export function inOrder(points: Point[]): Point[] {
  return [...points].sort((a, b) => a.beat - b.beat);
}

export function paintThread(
  c: CanvasRenderingContext2D,
  line: Line,
  control: Control,
  points: Point[],
  chosen: number | null,
): void {
  const { first, last } = line;
  const x = (beat: number) => across(line, beat);
  const y = (value: number) => down(line, control.parameter, value);
  c.fillStyle = faded(INK, 0.05);
  c.fillRect(0, line.top, x(last), THREAD);
  c.strokeStyle = NOW;
  c.lineWidth = 1.6;
  c.setLineDash([5, 3]);
  c.beginPath();
  c.moveTo(x(first), y(valueAt(points, first, control.value)));
  for (const point of points) if (point.beat > first && point.beat < last) c.lineTo(x(point.beat), y(point.value));
  c.lineTo(x(last), y(valueAt(points, last, control.value)));
  c.stroke();
  c.setLineDash([]);
  points.forEach((point, i) => {
    if (point.beat < first || point.beat > last) return;
    c.fillStyle = NOW;
    c.beginPath();
    c.arc(x(point.beat), y(point.value), i === chosen ? 6 : 4, 0, 7);
    c.fill();
  });
}

/** 0 to 1 along a setting's range, by ratios where it is heard so. */
function share(p: Control["parameter"], value: number): number {
  return p.curve === "log"
    ? Math.log(Math.max(value, p.low) / p.low) / Math.log(p.high / p.low)
    : (value - p.low) / (p.high - p.low);
}

function fromShare(p: Control["parameter"], part: number): number {
  const inside = Math.min(1, Math.max(0, part));
  const value = p.curve === "log" ? p.low * (p.high / p.low) ** inside : p.low + inside * (p.high - p.low);
  return Math.min(p.high, Math.max(p.low, Math.round(value * 10 ** p.digits) / 10 ** p.digits));
}

export function valueAt(points: Point[], beat: number, rest: number): number {
  const after = points.findIndex((point) => point.beat >= beat);
  if (!points.length) return rest;
  if (after < 0) return points.at(-1)?.value ?? rest;
  const b = points[after] as Point;
  const a = points[after - 1];
  return !a || b.beat === a.beat ? b.value : a.value + ((b.value - a.value) * (beat - a.beat)) / (b.beat - a.beat);
}
