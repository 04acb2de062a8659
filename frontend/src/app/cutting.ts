/** Cutting by a policy: its settings, and the cuts they would make, before they are made. */
import { create } from "zustand";

import { api, ask, ApiError } from "../api/client";
import type { Cutting, Policy, Role, Source } from "../api/types";
import { currentSource } from "./actions";
import { edit, idle } from "./edits";
import { usePocket } from "./pocket";
import { useView } from "./view";

interface Proposed {
  source: string;
  cutting: Cutting;
  /** Of which version of the pocket this was said. */
  at: number[];
  roles: (Role | null)[];
  kept: number;
  problem: string;
}

interface Store {
  /** What is being tried on a find; null when nothing is. */
  trying: { source: string; cutting: Cutting } | null;
  proposed: Proposed | null;
}

export const useCutting = create<Store>(() => ({ trying: null, proposed: null }));

/** The settings in force: those being tried, or the find's own. */
export function cuttingOf(source: Source, trying: Store["trying"]): Cutting {
  return trying?.source === source.id ? trying.cutting : source.cutting;
}

let asking = false;
let again = false;

/** Try settings: the wave shows what they would cut. */
export function tryCutting(source: Source, change: Partial<Cutting>): void {
  const now = cuttingOf(source, useCutting.getState().trying);
  useCutting.setState({ trying: { source: source.id, cutting: { ...now, ...change } } });
  void preview();
}

export function setKeepHand(keepHand: boolean): void {
  useView.getState().look({ keepHand });
  if (useCutting.getState().trying) void preview();
}

/** Ask for the newest settings; while an answer is on its way only the last of many waits. */
export async function preview(): Promise<void> {
  if (asking) {
    again = true;
    return;
  }
  asking = true;
  try {
    do {
      again = false;
      const { trying } = useCutting.getState();
      const pocket = usePocket.getState().open?.id;
      if (!trying || !pocket) return;
      const params = { path: { pocket, source: trying.source } };
      try {
        const said = await ask(
          api.POST("/api/pockets/{pocket}/finds/{source}/cuts", {
            params,
            body: { cutting: trying.cutting, keep_hand: useView.getState().keepHand, ...stretch(trying.source) },
          }),
        );
        if (useCutting.getState().trying === trying)
          useCutting.setState({
            proposed: { source: trying.source, cutting: trying.cutting, ...said, problem: said.problem ?? "" },
          });
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        if (useCutting.getState().trying === trying)
          useCutting.setState({
            proposed: {
              source: trying.source,
              cutting: trying.cutting,
              at: [],
              roles: [],
              kept: 0,
              problem: error.message,
            },
          });
      }
    } while (again);
  } finally {
    asking = false;
  }
}

/** The selection, when there is one: then only that is cut anew. */
function stretch(source: string): { start?: number; end?: number } {
  const selection = useView.getState().selection;
  return selection?.source === source && selection.end > selection.start
    ? { start: Math.round(selection.start), end: Math.round(selection.end) }
    : {};
}

export function leaveCutting(): void {
  useCutting.setState({ trying: null, proposed: null });
}

/** Make the cuts that are shown. */
export async function cutNow(): Promise<void> {
  const source = currentSource();
  const { trying } = useCutting.getState();
  if (!source || (trying && trying.source !== source.id)) return;
  const cutting = cuttingOf(source, trying);
  if (
    await edit({
      type: "recut",
      source: source.id,
      cutting,
      keep_hand: useView.getState().keepHand,
      ...stretch(source.id),
    })
  )
    leaveCutting();
}

export const POLICIES: { by: Policy; label: string; hint: string }[] = [
  { by: "transients", label: "Transients", hint: "Where a sound begins, at the start of its attack" },
  { by: "grid", label: "Grid", hint: "Every so many beats, along the record's own drift" },
  { by: "parts", label: "Equal parts", hint: "So many slices of one length" },
  { by: "chords", label: "Chords", hint: "Where the chord changes" },
  { by: "phrases", label: "Phrases", hint: "From breath to breath of a voice, or the endings of its phrases" },
  { by: "copied", label: "Copy", hint: "The cuts of another find, by beats or by an offset" },
];

// A change that was made meanwhile may move what would be cut.
usePocket.subscribe((now, before) => {
  if (useCutting.getState().trying && now.open?.version !== before.open?.version && idle()) void preview();
});
useView.subscribe((now, before) => {
  if (now.source !== before.source) leaveCutting();
  else if (now.selection !== before.selection && useCutting.getState().trying) void preview();
});
