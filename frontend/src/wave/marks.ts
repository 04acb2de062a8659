/** What is laid over a wave, derived from the document. */
import type { Source } from "../api/types";
import { roleColor } from "../design/roles";

export interface SliceMark {
  id: string;
  number: number;
  start: number;
  end: number;
  color: string;
}

/** The lines of a grid as the core laid them: samples of the beats, and which of them begin a bar. */
export interface Grid {
  beats: number[];
  bars: boolean[];
  beatsPerBar: number;
  /** Index of bar one's first beat. */
  one: number;
}

export function sliceMarks(source: Source): SliceMark[] {
  return source.cuts.map((cut, i) => ({
    id: cut.id,
    number: i + 1,
    start: cut.at,
    end: source.cuts[i + 1]?.at ?? source.frames,
    color: roleColor(cut.role),
  }));
}

/** Index of the last beat at or before a place, -1 before the first. */
export function beatBefore(grid: Grid, place: number): number {
  let low = 0;
  let high = grid.beats.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((grid.beats[middle] as number) <= place) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/** A place counted in beats from bar one. */
export function beatsAt(grid: Grid, place: number): number {
  const i = Math.min(grid.beats.length - 2, Math.max(0, beatBefore(grid, place)));
  const here = grid.beats[i] ?? 0;
  const next = grid.beats[i + 1] ?? here + 1;
  return i - grid.one + (place - here) / Math.max(1, next - here);
}
