import { describe, expect, it } from "vitest";

import { beatBefore, beatsAt, type Grid } from "./marks";
import { barAt, inBars, lengthOf, nearestLine, unitAt } from "./span";
import { around, clampSpan, panned, revealing, zoomed } from "./viewport";

const RATE = 44100;
/** Four bars of four at 120, bar one a beat after the beginning. */
const BEAT = RATE / 2;
const FRAMES = 17 * BEAT;
const grid: Grid = {
  beats: Array.from({ length: 17 }, (_, i) => i * BEAT),
  bars: Array.from({ length: 17 }, (_, i) => i % 4 === 1),
  beatsPerBar: 4,
  one: 1,
};

describe("lines of a grid", () => {
  it("tell the beat before a place, and how many beats it is from bar one", () => {
    expect(beatBefore(grid, -1)).toBe(-1);
    expect(beatBefore(grid, 2 * BEAT)).toBe(2);
    expect(beatBefore(grid, 2 * BEAT - 1)).toBe(1);
    expect(beatsAt(grid, 3.5 * BEAT)).toBeCloseTo(2.5);
    expect(beatsAt(grid, 0)).toBeCloseTo(-1);
  });

  it("are gone to where they are nearest, the ends of the record too", () => {
    expect(nearestLine(grid, 4.4 * BEAT, false, FRAMES)).toBe(4 * BEAT);
    expect(nearestLine(grid, 4.4 * BEAT, true, FRAMES)).toBe(5 * BEAT);
    expect(nearestLine(grid, 0.3 * BEAT, true, FRAMES)).toBe(0);
    expect(nearestLine(grid, 16.9 * BEAT, true, FRAMES)).toBe(FRAMES);
  });

  it("bound the bar or beat that a place lies in", () => {
    expect(barAt(grid, 6 * BEAT, FRAMES)).toEqual({ start: 5 * BEAT, end: 9 * BEAT });
    expect(barAt(grid, 0.5 * BEAT, FRAMES)).toBeNull();
    expect(unitAt(grid, 6.5 * BEAT, false, FRAMES)).toEqual({ start: 6 * BEAT, end: 7 * BEAT });
  });
});

describe("the length of a selection", () => {
  it("is told in whole bars, with the tempo that makes it so", () => {
    const two = lengthOf({ start: BEAT, end: 9 * BEAT }, grid, RATE);
    expect(two).toMatchObject({ count: 2, unit: "bars", exact: true });
    expect(two.bpm).toBeCloseTo(120);
    const nearly = lengthOf({ start: BEAT, end: 8.9 * BEAT }, grid, RATE);
    expect(nearly).toMatchObject({ count: 2, unit: "bars", exact: false });
    expect(nearly.bpm).toBeCloseTo((120 * 8) / 7.9);
  });

  it("is told in beats where it is no whole bars", () => {
    expect(lengthOf({ start: BEAT, end: 4 * BEAT }, grid, RATE)).toMatchObject({ count: 3, unit: "beats" });
  });

  it("is guessed at a usual tempo where there is no grid", () => {
    const bare = lengthOf({ start: 0, end: 4 * RATE }, null, RATE);
    expect(bare.bpm).toBeGreaterThanOrEqual(70);
    expect(bare.bpm).toBeLessThanOrEqual(140);
    expect(bare.beats).toBeNull();
  });

  it("is said in bars and beats", () => {
    expect(inBars(4, 4)).toBe("1 bar");
    expect(inBars(9, 4)).toBe("2 bars 1 beat");
    expect(inBars(2.5, 4)).toBe("2.50 beats");
    expect(inBars(8.004, 4)).toBe("2 bars");
  });
});

describe("the stretch in view", () => {
  it("stays inside the record, whatever is asked", () => {
    for (const [start, end] of [
      [-500, 300],
      [900, 1400],
      [400, 401],
      [-10, 5000],
    ] as const) {
      const span = clampSpan({ start, end }, 1000);
      expect(span.start).toBeGreaterThanOrEqual(0);
      expect(span.end).toBeLessThanOrEqual(1000);
      expect(span.end - span.start).toBeGreaterThanOrEqual(24);
    }
  });

  it("is zoomed round a place that stays where it is", () => {
    const closer = zoomed({ start: 100, end: 500 }, 0.5, 200, 1000);
    expect(closer).toEqual({ start: 150, end: 350 });
    expect((200 - closer.start) / (closer.end - closer.start)).toBeCloseTo(0.25);
  });

  it("moves, shows what is asked for, and keeps a margin", () => {
    expect(panned({ start: 100, end: 300 }, -500, 1000)).toEqual({ start: 0, end: 200 });
    expect(revealing({ start: 0, end: 200 }, 50, 60, 1000)).toEqual({ start: 0, end: 200 });
    expect(revealing({ start: 0, end: 200 }, 600, 700, 1000)).toEqual({ start: 550, end: 750 });
    expect(around(100, 200, 50, 220)).toEqual({ start: 50, end: 220 });
  });
});
