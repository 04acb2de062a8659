import { describe, expect, it } from "vitest";

import { fixed, parseNumber, position, seconds } from "./format";

describe("numbers as a musician reads them", () => {
  it("have a real minus, and no minus nought", () => {
    expect(fixed(-3.25, 1)).toBe("\u22123.3");
    expect(fixed(-0.04, 1)).toBe("0.0");
  });

  it("are read with comma, minus of either kind, and as fractions", () => {
    expect(parseNumber("1,5")).toBe(1.5);
    expect(parseNumber("\u22122")).toBe(-2);
    expect(parseNumber(" 3 / 4 ")).toBe(0.75);
    expect(parseNumber("3/0")).toBe(3);
    expect(parseNumber("loud")).toBeNull();
  });

  it("come back from what they are written as", () => {
    for (const value of [-60, -1.5, 0, 0.01, 94.02, 1000]) expect(parseNumber(fixed(value, 2))).toBeCloseTo(value, 2);
  });

  it("tell times and places", () => {
    expect(seconds(5.2)).toBe("5.20 s");
    expect(seconds(66.8)).toBe("1:06.8 min");
    expect(position(0, 4)).toBe("1 · 1 · 1");
    expect(position(5.75, 4)).toBe("2 · 2 · 4");
    expect(position(-0.5, 4)).toBe("\u22121 · 4 · 3");
    expect(position(3, 3)).toBe("2 · 1 · 1");
  });
});
