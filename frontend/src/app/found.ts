/** Loops and hits that listening found: choose, hear, take. */
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";

import { api, ask } from "../api/client";
import type { Role, Source, Worth } from "../api/types";
import { loopPlayer } from "../audio/loop";
import { songPlayer } from "../audio/song";
import { previewPlayer } from "../audio/preview";
import { tapePlayer } from "../audio/tape";
import { voices } from "../audio/voices";
import { useRested } from "../design/useRested";
import { around } from "../wave/viewport";
import { barOf, currentSource, ontoPads } from "./actions";
import { edit } from "./edits";
import { fits, playFitted } from "./fitting";
import { usePocket } from "./pocket";
import { toast } from "./toasts";
import { type FoundKind, useView } from "./view";

export interface Found {
  start: number;
  end: number;
  name: string;
  role: Role | null;
}

export const KINDS: FoundKind[] = ["loop", "kick", "snare", "hat"];

/** What a list holds, best first, each with the name that goes with it. */
export function listed(worth: Worth | undefined, kind: FoundKind): Found[] {
  if (!worth) return [];
  if (kind === "loop")
    return worth.loops.map((loop) => ({
      start: loop.start,
      end: loop.end,
      name: `${loop.bars} ${loop.bars === 1 ? "bar" : "bars"}`,
      role: null,
    }));
  const label = kind[0]?.toUpperCase() + kind.slice(1);
  return worth.hits
    .filter((hit) => hit.role === kind)
    .map((hit, i) => ({ start: hit.start, end: hit.end, name: `${label} ${i + 1}`, role: hit.role }));
}

/** What is worth taking of each find as it is shown: what the keys step through. */
const shown = new Map<string, Worth>();
const keyOf = (source: Source) => `${source.id} ${source.audio}`;
/** A grid that is being moved is not asked about until it rests. */
const REST_MS = 500;

/** By the bars of the find's grid; the lists of the grid before stay, and are `behind`, until those of the new one are here. */
export function useWorth(source: Source): { worth: Worth | undefined; behind: boolean } {
  const pocket = usePocket((s) => s.open?.id ?? "");
  const grid = useRested(source.grid, REST_MS);
  const { data, isFetching, isPlaceholderData } = useQuery({
    queryKey: ["worth", pocket, source.id, source.audio, grid],
    queryFn: () =>
      ask(api.GET("/api/pockets/{pocket}/sources/{source}/worth", { params: { path: { pocket, source: source.id } } })),
    enabled: pocket !== "",
    // Not for ever: what was answered while the grid moved on was of the grid it had by then. Asking again costs little.
    refetchOnWindowFocus: false,
    placeholderData: (previous, query) => (query?.queryKey[3] === source.audio ? previous : undefined),
  });
  useEffect(() => {
    if (!data) return;
    // What was chosen has another place in the new lists, or none.
    if (shown.has(keyOf(source)) && shown.get(keyOf(source)) !== data) useView.getState().look({ found: null });
    shown.set(keyOf(source), data);
  }, [data, source]);
  return { worth: data, behind: data !== undefined && (isFetching || isPlaceholderData || grid !== source.grid) };
}

function chosen(source: Source): Found | null {
  const { found, selection } = useView.getState();
  if (found) return listed(shown.get(keyOf(source)), found.kind)[found.index] ?? null;
  if (selection?.source === source.id && selection.end > selection.start)
    return { start: Math.round(selection.start), end: Math.round(selection.end), name: "", role: null };
  return null;
}

/** Choose one: the wave shows it, and it sounds; a loop goes round and round. */
export function choose(source: Source, kind: FoundKind, index: number): void {
  const one = listed(shown.get(keyOf(source)), kind)[index];
  if (!one) return;
  const view = useView.getState();
  view.look({
    found: { kind, index },
    panel: "worth",
    selection: { source: source.id, start: one.start, end: one.end },
    cursor: one.start,
  });
  view.setWindow(source.id, around(one.start, one.end, barOf(source), source.frames));
  play(source, kind, one);
}

function play(source: Source, kind: FoundKind, one: Found): void {
  loopPlayer.stop();
  songPlayer.stop();
  previewPlayer.stop();
  if (kind === "loop") {
    voices.stopSlice();
    if (fits()) void playFitted(source, one.start, one.end, true);
    else void tapePlayer.play(source.audio, source.frames, one.start, { start: one.start, end: one.end });
    return;
  }
  tapePlayer.stop();
  voices
    .audition(source.audio, one.start, one.end, source.trim)
    .catch((error: Error) => toast({ title: "That hit cannot be played", text: error.message, tone: "error" }));
}

/** The one before or after in its list; past an end, the next list. */
export function step(way: 1 | -1): void {
  const source = currentSource();
  if (!source) return;
  const all = KINDS.flatMap((kind) => listed(shown.get(keyOf(source)), kind).map((_, index) => ({ kind, index })));
  const { found } = useView.getState();
  const at = all.findIndex((one) => one.kind === found?.kind && one.index === found.index);
  const next = all[at < 0 ? 0 : Math.min(all.length - 1, Math.max(0, at + way))];
  if (next) choose(source, next.kind, next.index);
}

export function replay(): void {
  const source = currentSource();
  const { found } = useView.getState();
  if (source && found) choose(source, found.kind, found.index);
}

/** Its name in the list tells its place there; on a pad it is called by what it is. */
function stretch({ start, end, role }: Found) {
  return { start, end, role };
}

export function toPads(source: Source, some: Found[]): Promise<boolean> {
  // A loop of whole bars goes along with the pocket's tempo.
  const fit = some.every((one) => one.role === null);
  return ontoPads({ type: "stretches_to_pads", source: source.id, stretches: some.map(stretch), fit }, "sound");
}

export function toPad(): void {
  const source = currentSource();
  const one = source && chosen(source);
  if (source && one) void toPads(source, [one]);
}

/** Make it a slice of its own, and go to it. */
export function cutOut(): void {
  const source = currentSource();
  const one = source && chosen(source);
  if (!source || !one) return;
  void edit({ type: "cut_stretches", source: source.id, stretches: [stretch(one)] }).then((made) => {
    if (!made) return;
    const now = usePocket.getState().open?.pocket.sources[source.id];
    const cut = now?.cuts.reduce((best, c) => (Math.abs(c.at - one.start) < Math.abs(best.at - one.start) ? c : best));
    useView.getState().look({ station: "chop", cuts: cut ? [cut.id] : [], found: null });
  });
}
