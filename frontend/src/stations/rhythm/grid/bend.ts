/** Where a beat is drawn: the grid as swing and feel bend it, so that the eye sees what the ear gets. */
import { STEP } from "../hits";

export interface Bend {
  to: (beat: number) => number;
  back: (beat: number) => number;
}

const STRAIGHT: Bend = { to: (beat) => beat, back: (beat) => beat };

/** lines: beats at which the sixteenths are heard; none: straight. */
export function bendOf(lines: number[] | undefined, beats: number): Bend {
  if (!lines?.length) return STRAIGHT;
  const ends = [...lines, beats + (lines[0] ?? 0)];
  return {
    to: (beat) => {
      const place = Math.max(0, beat / STEP);
      const at = Math.min(ends.length - 2, Math.floor(place));
      const from = ends[at] as number;
      return from + ((ends[at + 1] as number) - from) * (place - at);
    },
    back: (beat) => {
      let at = ends.findLastIndex((line) => line <= beat);
      at = Math.min(ends.length - 2, Math.max(0, at));
      const from = ends[at] as number;
      return Math.max(0, (at + (beat - from) / Math.max(1e-6, (ends[at + 1] as number) - from)) * STEP);
    },
  };
}
