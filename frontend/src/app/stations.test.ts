import { expect, it } from "vitest";

import { aboutStation, named, STATIONS } from "./stations";

it("stations are told in words and found by key", () => {
  expect(named((one) => one.plays === "find")).toBe("Listen, Split and Chop");
  expect(named((one) => one.plays === "song")).toBe("Song");
  expect(named(() => false)).toBe("");
  for (const { key, label } of STATIONS) expect(aboutStation(key).label).toBe(label);
  expect(new Set(STATIONS.map(({ key }) => key)).size).toBe(STATIONS.length);
});
