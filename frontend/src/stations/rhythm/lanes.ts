/** Which pads have a row in the pattern: those it hits, the chosen ones, and (in the station) all of the page in view. */
import type { Pattern, Pocket } from "../../api/types";
import { PAGE } from "../../pads/keys";

export interface Lane {
  pad: number;
  name: string;
  role: Pocket["pads"][string]["role"];
  empty: boolean;
}

/** all: also those pads of the page that have no hits yet. */
export function lanesOf(pocket: Pocket, pattern: Pattern, page: number, chosen: number[], all: boolean): Lane[] {
  const rows = new Set(pattern.hits.map((hit) => hit.pad));
  for (const index of Object.keys(pocket.pads).map(Number)) {
    if (Math.floor(index / PAGE) === page && (all || !pattern.hits.length || chosen.includes(index))) rows.add(index);
  }
  return [...rows]
    .sort((a, b) => a - b)
    .map((pad) => {
      const record = pocket.pads[pad];
      return { pad, name: record?.name ?? "empty pad", role: record?.role ?? null, empty: !record };
    });
}
