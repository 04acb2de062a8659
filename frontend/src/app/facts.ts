/** What is known of slices: asked of the server a few at a time, and kept by the sound they are of. */
import { create } from "zustand";

import { api, ask } from "../api/client";
import type { SliceFact, Source } from "../api/types";
import { usePocket } from "./pocket";

const AT_ONCE = 64;

export const useFacts = create<{ facts: Map<string, SliceFact>; round: number }>(() => ({
  facts: new Map(),
  round: 0,
}));

export function factKey(source: Source, start: number, end: number): string {
  return `${source.audio}:${start}:${end}`;
}

let asking = false;
let wanted: Source | null = null;

/** Have the facts of all slices of a find fetched, in its order. */
export async function wantFacts(source: Source): Promise<void> {
  wanted = source;
  if (asking) return;
  asking = true;
  try {
    for (;;) {
      const now: Source = wanted;
      const missing = now.cuts
        .map((cut, i) => ({ cut: cut.id, key: factKey(now, cut.at, now.cuts[i + 1]?.at ?? now.frames) }))
        .filter(({ key }) => !useFacts.getState().facts.has(key))
        .slice(0, AT_ONCE);
      const pocket = usePocket.getState().open;
      if (!missing.length || !pocket) return;
      const path = { pocket: pocket.id, source: now.id };
      const { facts } = await ask(
        api.POST("/api/pockets/{pocket}/finds/{source}/facts", {
          params: { path },
          body: { cuts: missing.map(({ cut }) => cut) },
        }),
      );
      // A cut may have been moved while the answer was on its way: then it is of another sound.
      if (usePocket.getState().open?.version !== pocket.version) {
        const newest = usePocket.getState().open?.pocket.sources[now.id];
        if (newest) wanted = wanted === now ? newest : wanted;
        continue;
      }
      const known = useFacts.getState().facts;
      const said = new Map(facts.map((fact) => [fact.cut, fact]));
      for (const { cut, key } of missing)
        known.set(
          key,
          said.get(cut) ?? { cut, level_db: null, note: null, key: null, cents: null, bright_hz: 0, clean: null },
        );
      useFacts.setState((s) => ({ round: s.round + 1 }));
    }
  } catch {
    // Asked for again when the slices change, or the table is opened anew.
  } finally {
    asking = false;
  }
}
