import { expect, it } from "vitest";

import { litAt } from "./lit";

it("a pad is lit for a while after its hit, over the end of the loop too", () => {
  const hits = [0, 3, 500, 4, 980, 5];
  expect(litAt(hits, 10, 1000, 50)).toEqual({ 3: true, 5: true });
  expect(litAt(hits, 520, 1000, 50)).toEqual({ 4: true });
  expect(litAt(hits, 560, 1000, 50)).toEqual({});
  expect(litAt(hits, 990, 1000, 50)).toEqual({ 5: true });
});
