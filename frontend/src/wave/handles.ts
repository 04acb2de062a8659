/** What can be grabbed on a wave: the digits of a bar, the flag of a cut, an edge of the selection. Pixels are of the canvas. */
import type { Span } from "../app/view";
import { barsShown, type Frame } from "./draw";
import type { Grid, SliceMark } from "./marks";

/** Height of the row of bar numbers, and of the flags under it. */
export const RULER = 14;
export const FLAG = 14;
const GRIP = 5;
const DIGIT = 6;

export type Handle =
  { kind: "bar"; index: number } | { kind: "cut"; cut: string } | { kind: "edge"; edge: "start" | "end" };

export interface Layout {
  frame: Frame;
  grid: Grid | null;
  /** Cuts whose flags can be grabbed; none where cuts are not shown. */
  marks: SliceMark[];
  selection: Span | null;
  /** Down to where the edges of the selection reach. */
  bottom: number;
}

export function handleAt({ frame, grid, marks, selection, bottom }: Layout, x: number, y: number): Handle | null {
  const pixel = (at: number) => (at - frame.start) / frame.perPixel;
  if (y < RULER && grid) {
    for (const { index, x: left, label } of barsShown(grid, frame)) {
      if (x >= left - GRIP && x <= left + 4 + label.length * DIGIT + 2) return { kind: "bar", index };
    }
  }
  if (y >= RULER && y < RULER + FLAG) {
    const flag = marks.findLast(
      (mark) => x >= pixel(mark.start) - 2 && x <= pixel(mark.start) + 5 + String(mark.number).length * DIGIT,
    );
    if (flag) return { kind: "cut", cut: flag.id };
  }
  if (selection && y < bottom) {
    const [start, end] = [Math.abs(x - pixel(selection.start)), Math.abs(x - pixel(selection.end))];
    if (Math.min(start, end) <= GRIP) return { kind: "edge", edge: start < end ? "start" : "end" };
  }
  return null;
}
