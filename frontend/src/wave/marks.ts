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

export interface Grid {
  barOne: number;
  samplesPerBeat: number;
  beatsPerBar: number;
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

export function gridOf(source: Source, rate: number): Grid | null {
  const grid = source.grid;
  return grid ? { barOne: grid.bar_one, samplesPerBeat: (60 / grid.bpm) * rate, beatsPerBar: grid.beats_per_bar } : null;
}
