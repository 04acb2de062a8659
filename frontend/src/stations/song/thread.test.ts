import { describe, expect, it } from "vitest";

import type { Control } from "./controls";
import { across, down, inOrder, type Line, nearest, valueDown } from "./thread";

const line: Line = { first: 16, last: 48, perBeat: 10, top: 60 };
const parameter = (low: number, high: number, curve: "linear" | "log"): Control["parameter"] => ({
  name: "x",
  label: "X",
  unit: "",
  low,
  high,
  default: low,
  step: 1,
  digits: 1,
  help: "",
  curve,
});

describe("a thread in a line of the song", () => {
  it.each([
    ["linear", -60, 12],
    ["log", 20, 20000],
  ] as const)("puts a value of a %s range where it reads it again", (curve, low, high) => {
    const p = parameter(low, high, curve);
    for (const value of [low, low + 0.3 * (high - low), high]) {
      expect(valueDown(line, p, down(line, p, value))).toBeCloseTo(value, 1);
    }
    // The higher the value, the higher up; what lies beyond the line is at its end.
    expect(down(line, p, high)).toBeLessThan(down(line, p, low));
    expect(valueDown(line, p, -500)).toBe(high);
    expect(valueDown(line, p, 5000)).toBe(low);
  });

  it("finds the point under a place, and none further off", () => {
    const p = parameter(0, 100, "linear");
    const points = inOrder([
      { beat: 32, value: 80 },
      { beat: 20, value: 50 },
    ]);
    expect(points.map(({ beat }) => beat)).toEqual([20, 32]);
    expect(nearest(line, p, points, across(line, 32) + 4, down(line, p, 80) - 4)).toBe(1);
    expect(nearest(line, p, points, across(line, 26), down(line, p, 65))).toBe(-1);
  });
});
