/** Hits as they are made and chosen by hand. */
import type { Hit, Lane as LaneSettings, Pattern } from "../../api/types";

export const STEP = 0.25;

export function newHit(pad: number, beat: number, more: Partial<Hit> = {}): Hit {
  return {
    id: "",
    pad,
    beat,
    velocity: 100,
    length: STEP,
    take: 0,
    note: 0,
    own: {},
    roll: null,
    when: null,
    turn: null,
    ...more,
  };
}

const PLAIN: LaneSettings = {
  step: STEP,
  steps: null,
  skipped: [],
  muted: false,
  solo: false,
  level: 0,
  swing: null,
  feel: null,
};

export function laneOf(pattern: Pattern, pad: number): LaneSettings {
  const lane = pattern.lanes[pad];
  return lane ? { ...PLAIN, ...lane } : PLAIN;
}

export function beatsOf(pattern: Pattern): number {
  return pattern.bars * pattern.beats_per_bar;
}

/** Written steps of a lane, those that are left out included. */
export function stepsOf(pattern: Pattern, lane: LaneSettings): number {
  return lane.steps ?? Math.max(1, Math.ceil(beatsOf(pattern) / lane.step - 1e-9));
}

/** Beats that a lane is written over: behind them it begins again. */
export function writtenBeats(pattern: Pattern, lane: LaneSettings): number {
  return lane.steps === null ? beatsOf(pattern) : Math.min(beatsOf(pattern), lane.steps * lane.step);
}

/** The hits that are chosen and still there. */
export function chosenIn(pattern: Pattern, ids: string[]): Hit[] {
  const chosen = new Set(ids);
  return pattern.hits.filter((hit) => chosen.has(hit.id));
}

/** The step of a lane that a beat lies in. */
export function stepAt(lane: LaneSettings, beat: number): number {
  return Math.floor(beat / lane.step + 1e-6) * lane.step;
}
