/** The open pocket as the server last told it. Only replies change it; the front end keeps no rules of its own. */
import { create } from "zustand";

import type { Changes, EditReply, Pocket, PocketState, Records, Sounds, Source } from "../api/types";

export interface Open {
  id: string;
  version: number;
  undo: string | null;
  redo: string | null;
  pocket: Pocket;
  sounds: Sounds | null;
}

interface Store {
  open: Open | null;
  setState: (state: PocketState) => void;
  setSounds: (sounds: Sounds) => void;
  applyReply: (reply: EditReply) => boolean;
}

function patched<T>(records: Record<string, T>, changes: Record<string, T | null>): Record<string, T> {
  const keys = Object.keys(changes);
  if (!keys.length) return records;
  const next = { ...records };
  for (const key of keys) {
    const record = changes[key];
    if (record === null || record === undefined) delete next[key];
    else next[key] = record;
  }
  return next;
}

const KINDS: (keyof Records)[] = ["sources", "pads", "patterns", "feels", "buses", "sections", "threads"];

function patchKind<K extends keyof Records>(into: Pocket, from: Pocket, changes: Changes, kind: K): void {
  const next: Record<string, Records[K][string]> = patched<Records[K][string]>(
    from[kind] as Record<string, Records[K][string]>,
    changes[kind] as Record<string, Records[K][string] | null>,
  );
  Object.assign(into, { [kind]: next });
}

/** Kin as they are shown: with the cuts of their family's root, each where it lies in them. What did not change stays the same. */
function withSharedCuts(before: Record<string, Source>, now: Record<string, Source>): Record<string, Source> {
  const next = { ...now };
  for (const source of Object.values(now)) {
    const root = source.kin ? now[source.kin.root] : undefined;
    if (!root || !source.kin) continue;
    const old = before[source.id];
    if (old === source && before[root.id] === root) continue;
    const offset = source.kin.offset;
    const cuts = root.cuts
      .map((cut) => (offset ? { ...cut, at: cut.at - offset } : cut))
      .filter((cut) => cut.at >= 0 && cut.at < source.frames);
    next[source.id] = { ...source, cuts };
  }
  return next;
}

export const usePocket = create<Store>((set, get) => ({
  open: null,
  setState: (state) =>
    set((s) => ({
      open: {
        ...state,
        pocket: { ...state.pocket, sources: withSharedCuts({}, state.pocket.sources) },
        sounds: s.open?.id === state.id ? s.open.sounds : null,
      },
    })),
  setSounds: (sounds) => set((s) => (s.open ? { open: { ...s.open, sounds } } : {})),
  /** Lay the changes of a reply over the state; false when they start from another state than ours. */
  applyReply: (reply) => {
    const open = get().open;
    if (!open || open.version !== reply.from_version) return false;
    const { changes } = reply;
    const pocket: Pocket = { ...open.pocket, ...changes.fields };
    for (const kind of KINDS) patchKind(pocket, open.pocket, changes, kind);
    pocket.sources = withSharedCuts(open.pocket.sources, pocket.sources);
    set({
      open: { ...open, version: reply.version, undo: reply.undo, redo: reply.redo, pocket, sounds: reply.sounds },
    });
    return true;
  },
}));

/** Records in the order in which they were made. */
export function ordered<T extends { id: string }>(records: Record<string, T>): T[] {
  return Object.values(records).sort((a, b) => Number(a.id.slice(1)) - Number(b.id.slice(1)));
}

export function useOpenPocket(): Pocket | null {
  return usePocket((s) => s.open?.pocket ?? null);
}
