/** Selections: where their edges go, how long they are in bars and beats, and the tempo that they would make. */
import type { Span } from "../app/view";
import { beatBefore, beatsAt, type Grid } from "./marks";

export type SelectSnap = "bars" | "beats" | "attacks" | "quiet" | "off";

/** Tempi at which a loop is likely to be meant, where no grid says so. */
const USUAL = { low: 70, high: 140 };
const WHOLE = 0.06;

/** The line nearest to a place: of all beats, or of those that begin a bar. Both ends of the source count as lines. */
export function nearestLine(grid: Grid, place: number, bars: boolean, frames: number): number {
  const at = beatBefore(grid, place);
  let best = place < frames / 2 ? 0 : frames;
  // The ends are lines only where no line is nearer.
  let away = Math.abs(best - place);
  for (const step of [-1, 1]) {
    for (let i = step < 0 ? at : at + 1; i >= 0 && i < grid.beats.length; i += step) {
      if (bars && !grid.bars[i]) continue;
      const line = grid.beats[i] as number;
      if (Math.abs(line - place) <= away) {
        best = line;
        away = Math.abs(line - place);
      }
      break;
    }
  }
  return best;
}

/** The bar that a place lies in, from line to line; null outside all of them. */
export function barAt(grid: Grid, place: number, frames: number): Span | null {
  let first = -1;
  for (let i = 0; i < grid.beats.length && (grid.beats[i] as number) <= place + 1; i++) if (grid.bars[i]) first = i;
  if (first < 0) return null;
  let next = first + 1;
  while (next < grid.beats.length && !grid.bars[next]) next++;
  return { start: grid.beats[first] as number, end: grid.beats[next] ?? frames };
}

/** The bar, or the beat, that a place lies in. */
export function unitAt(grid: Grid, place: number, bar: boolean, frames: number): Span | null {
  if (bar) return barAt(grid, place, frames);
  const i = beatBefore(grid, place);
  return i < 0 ? null : { start: grid.beats[i] as number, end: grid.beats[i + 1] ?? frames };
}

export interface Length {
  /** What it is by the grid; null without one. */
  beats: number | null;
  /** The whole number of bars (or beats, when it is less than one) that it is nearest to, and the tempo that makes it so. */
  count: number;
  unit: "bars" | "beats";
  bpm: number;
  /** Whether it is that number by the grid already. */
  exact: boolean;
}

export function lengthOf(span: Span, grid: Grid | null, rate: number): Length {
  const minutes = (span.end - span.start) / rate / 60;
  const perBar = grid?.beatsPerBar ?? 4;
  const beats = grid ? beatsAt(grid, span.end) - beatsAt(grid, span.start) : null;
  const guess = beats ?? 4 * 2 ** Math.max(0, Math.round(Math.log2((minutes * Math.sqrt(USUAL.low * USUAL.high)) / 4)));
  // Whole beats that are no whole bars are counted in beats.
  const odd = beats !== null && Math.abs(beats - Math.round(beats)) < WHOLE && Math.round(beats) % perBar !== 0;
  const inBars = guess >= perBar * 0.75 && !odd;
  const count = Math.max(1, Math.round(inBars ? guess / perBar : guess));
  const whole = count * (inBars ? perBar : 1);
  return {
    beats,
    count,
    unit: inBars ? "bars" : "beats",
    bpm: whole / minutes,
    exact: beats !== null && Math.abs(beats - whole) < 1e-3,
  };
}

/** A length in bars and beats, as one says it. */
export function inBars(beats: number, perBar: number): string {
  const near = Math.round(beats);
  const tidy = Math.abs(beats - near) < WHOLE / 4 ? near : beats;
  const bars = Math.floor(tidy / perBar + 1e-9);
  const rest = tidy - bars * perBar;
  const text = (n: number, one: string) => `${Number.isInteger(n) ? n : n.toFixed(2)} ${n === 1 ? one : `${one}s`}`;
  if (!bars) return text(rest, "beat");
  return rest > 1e-6 ? `${text(bars, "bar")} ${text(rest, "beat")}` : text(bars, "bar");
}
