/** What buttons and keys both do. */
import type { Edit, Source } from "../api/types";
import { loopPlayer, useLoop } from "../audio/loop";
import { previewPlayer, usePreview } from "../audio/preview";
import { songPlayer } from "../audio/song";
import { tapePlayer, useTape } from "../audio/tape";
import { voices } from "../audio/voices";
import { fixed } from "../design/format";
import { newGesture } from "../design/NumberField";
import { revealing, whole, zoomed } from "../wave/viewport";
import { edit, heardPattern, reloadSounds } from "./edits";
import { ordered, usePocket } from "./pocket";
import { fits, playFitted } from "./fitting";
import { sliceOrder } from "./sliceOrder";
import { toast } from "./toasts";
import { useView } from "./view";

const SAME_TEMPO = 5e-4;

export function currentSource(): Source | null {
  const open = usePocket.getState().open;
  const id = useView.getState().source;
  return (id && open?.pocket.sources[id]) || null;
}

export function showSource(id: string | null): void {
  previewPlayer.stop();
  useView.getState().look({ source: id, cuts: [], selection: null, cursor: 0, found: null });
}

export function togglePattern(): void {
  const { playing, asked, ready } = useLoop.getState();
  if (playing || asked) loopPlayer.stop();
  else if (ready || heardPattern() !== null) {
    songPlayer.stop();
    tapePlayer.stop();
    previewPlayer.stop();
    loopPlayer.start();
  }
}

/** Play the find from the cursor, or its selection round and round; stop when it plays. */
export function toggleSource(): void {
  const source = currentSource();
  if (!source) return;
  if (useTape.getState().playing || usePreview.getState().preview) {
    tapePlayer.stop();
    previewPlayer.stop();
    return;
  }
  loopPlayer.stop();
  songPlayer.stop();
  const view = useView.getState();
  const selection = view.selection?.source === source.id ? view.selection : null;
  const loop =
    selection && selection.end > selection.start
      ? view.loopSelection
        ? selection
        : null
      : view.loopSelection
        ? { start: 0, end: source.frames }
        : null;
  const place = selection ? selection.start : view.cursor < source.frames ? view.cursor : 0;
  if (fits()) void playFitted(source, place, loop?.end ?? selection?.end ?? source.frames, loop !== null);
  else void tapePlayer.play(source.audio, source.frames, place, loop);
}

export function setLooping(on: boolean): void {
  const view = useView.getState();
  view.look({ loopSelection: on });
  const source = currentSource();
  if (!source || useTape.getState().playing !== source.audio) return;
  const selection = view.selection?.source === source.id ? view.selection : { start: 0, end: source.frames };
  tapePlayer.setLoop(on ? selection : null);
}

export function zoom(factor: number): void {
  const source = currentSource();
  if (!source) return;
  const view = useView.getState();
  const span = view.windows[source.id] ?? whole(source.frames);
  const middle = (span.start + span.end) / 2;
  view.setWindow(source.id, zoomed(span, factor, middle, source.frames));
}

/** Samples of a bar of a find: what is shown beside a stretch that was chosen. Of one without a tempo, two seconds. */
export function barOf(source: Source): number {
  const rate = usePocket.getState().open?.pocket.rate ?? 44100;
  return source.grid ? (source.grid.beats_per_bar * 60 * rate) / source.grid.bpm : 2 * rate;
}

/** To the selection, and from there back to all of it. */
export function zoomToSelection(): void {
  const source = currentSource();
  const view = useView.getState();
  if (!source) return;
  const span = view.windows[source.id];
  const { selection } = view;
  const there =
    span && selection && Math.abs(span.start - selection.start) < 1 && Math.abs(span.end - selection.end) < 1;
  if (selection?.source === source.id && !there)
    view.setWindow(source.id, { start: selection.start, end: selection.end });
  else view.setWindow(source.id, whole(source.frames));
}

export function playSlice(source: Source, cut: string): void {
  const i = source.cuts.findIndex((c) => c.id === cut);
  const at = source.cuts[i]?.at;
  if (at === undefined) return;
  const end = source.cuts[i + 1]?.at ?? source.frames;
  voices
    .audition(source.audio, at, end, source.trim)
    .catch((error: Error) => toast({ title: "That slice cannot be played", text: error.message, tone: "error" }));
}

/** Choose a slice and play it. how: it alone; also, or no more; all from the last one chosen to it, as the table lists them. */
export function chooseSlice(source: Source, cut: string, how: "one" | "toggle" | "range"): void {
  const view = useView.getState();
  const listed = slicesListed(source);
  const from = listed.indexOf(view.cuts.at(-1) ?? "");
  const to = listed.indexOf(cut);
  let cuts = [cut];
  if (how === "toggle") cuts = view.cuts.includes(cut) ? view.cuts.filter((c) => c !== cut) : [...view.cuts, cut];
  else if (how === "range" && from >= 0 && to >= 0)
    cuts = [
      ...new Set([
        ...view.cuts,
        ...listed.slice(Math.min(from, to), Math.max(from, to) + 1).filter((c) => c !== cut),
        cut,
      ]),
    ];
  view.look({ cuts });
  playSlice(source, cut);
}

/** Cut ids as the table lists them, or in the order of the record. */
function slicesListed(source: Source): string[] {
  const listed = sliceOrder(source.id);
  return listed.length ? listed : source.cuts.map((c) => c.id);
}

/** Choose and play the slice before or after the one chosen. */
export function stepSlice(way: 1 | -1): void {
  const source = currentSource();
  if (!source?.cuts.length) return;
  const view = useView.getState();
  const listed = slicesListed(source);
  const at = listed.indexOf(view.cuts.at(-1) ?? "");
  const id = listed[at < 0 ? (way > 0 ? 0 : listed.length - 1) : Math.min(listed.length - 1, Math.max(0, at + way))];
  const place = source.cuts.findIndex((c) => c.id === id);
  const cut = source.cuts[place];
  if (!cut) return;
  view.look({ cuts: [cut.id] });
  const span = view.windows[source.id] ?? whole(source.frames);
  view.setWindow(source.id, revealing(span, cut.at, source.cuts[place + 1]?.at ?? source.frames, source.frames));
  playSlice(source, cut.id);
}

export type Edge = "start" | "end";

/** The cut at an edge of the one slice that is chosen; none for the end of the last slice. */
function edgeCut(source: Source | null, edge: Edge): Source["cuts"][number] | undefined {
  const at = source ? source.cuts.findIndex((c) => c.id === useView.getState().cuts[0]) : -1;
  return at < 0 ? undefined : source?.cuts[edge === "start" ? at : at + 1];
}

export function nudgeCut(samples: number, gesture: string | null, edge: Edge = "start"): void {
  const source = currentSource();
  const cut = edgeCut(source, edge);
  if (source && cut)
    void edit({ type: "move_cut", source: source.id, cut: cut.id, at: Math.max(0, cut.at + samples) }, gesture).then(
      (made) => made && hearMoved(),
    );
}

/** The chosen slice as it is now that an edge was moved, if that is to be heard. */
export function hearMoved(): void {
  const source = currentSource();
  const cut = useView.getState().cuts[0];
  if (useView.getState().hearMoves && source && cut && useTape.getState().playing === null) playSlice(source, cut);
}

/** Move an edge of the chosen slice to the transient before or after it. */
export function edgeToTransient(way: 1 | -1, edge: Edge): void {
  const source = currentSource();
  const cut = edgeCut(source, edge);
  if (source && cut)
    void edit({ type: "step_cut", source: source.id, cut: cut.id, way }).then((made) => made && hearMoved());
}

export function cutHere(): void {
  const source = currentSource();
  if (!source) return;
  const playing = useTape.getState().playing === source.audio;
  void edit({
    type: "add_cut",
    source: source.id,
    at: Math.round(playing ? tapePlayer.place() : useView.getState().cursor),
    snap: useView.getState().snap,
  });
}

export function deleteCuts(): void {
  const source = currentSource();
  const view = useView.getState();
  const cuts = view.cuts.filter((id) => source?.cuts.some((c) => c.id === id));
  if (!source || !cuts.length) return;
  view.look({ cuts: [] });
  void edit({ type: "delete_cuts", source: source.id, cuts });
}

export async function slicesToPads(all: boolean): Promise<void> {
  const source = currentSource();
  if (!source) return;
  const chosen = source.cuts.filter((c) => useView.getState().cuts.includes(c.id)).map((c) => c.id);
  const there = new Set(Object.values(usePocket.getState().open?.pocket.pads ?? {}).map((pad) => pad.chop.cut));
  const twice = all ? 0 : chosen.filter((cut) => there.has(cut)).length;
  if (twice)
    toast({
      title: `${twice} of them ${twice === 1 ? "is" : "are"} on pads already`,
      text: "They are on two pads now, each with settings of its own.",
      tone: "note",
    });
  await ontoPads({ type: "slices_to_pads", source: source.id, cuts: all ? null : chosen }, "slice");
}

/** Make an edit that fills pads, then show them and say where they are. what: one of what goes there. */
export async function ontoPads(change: Edit, what: string): Promise<boolean> {
  const before = new Set(Object.keys(usePocket.getState().open?.pocket.pads ?? {}));
  if (!(await edit(change))) return false;
  const added = Object.keys(usePocket.getState().open?.pocket.pads ?? {})
    .filter((pad) => !before.has(pad))
    .map(Number);
  if (!added.length) return true;
  const first = Math.min(...added);
  useView.getState().look({ page: Math.floor(first / 16), pads: [first] });
  const pages = new Set(added.map((pad) => Math.floor(pad / 16) + 1));
  toast({
    title: `${added.length} ${added.length === 1 ? what : `${what}s`} on page ${[...pages].join(", ")}`,
    tone: "note",
  });
  return true;
}

/** straight: without its micro-timing. */
export async function originalRhythm(straight = false): Promise<void> {
  const source = currentSource();
  if (!source) return;
  const view = useView.getState();
  const selection = view.selection?.source === source.id ? view.selection : null;
  const span = selection ? { start: selection.start, end: selection.end } : {};
  const made = await edit({ type: "original_rhythm", source: source.id, straight, ...span });
  if (!made) return;
  await showNewest();
  useView.getState().look({ station: "rhythm" });
}

/** Look at the pattern made last, and turn the pads to what it plays. Another tempo than the pocket's is offered, not taken. */
export async function showNewest(): Promise<void> {
  const pocket = usePocket.getState().open?.pocket;
  const pattern = ordered(pocket?.patterns ?? {}).at(-1);
  await choosePattern(pattern?.id ?? null);
  if (!pattern || !pocket) return;
  const first = Math.min(...pattern.hits.map((hit) => hit.pad));
  if (Number.isFinite(first)) useView.getState().look({ page: Math.floor(first / 16) });
  const own = pattern.played?.bpm;
  if (own === undefined || Math.abs(own / pocket.tempo - 1) < SAME_TEMPO) return;
  toast({
    title: `It was played at ${fixed(own, 2)} BPM`,
    text: `The pocket stays at ${fixed(pocket.tempo, 2)}, and so do its other patterns.`,
    tone: "note",
    stays: true,
    action: { label: `Play all at ${fixed(own, 2)}`, run: () => void edit({ type: "set_pocket", tempo: own }) },
  });
}

export async function choosePattern(pattern: string | null): Promise<void> {
  useView.getState().look({ pattern, step: null, hits: [] });
  await reloadSounds();
}

/** Move all lines of a find's grid by samples. What waits to be sent is added up, because each move starts where the last one
 * ended. */
let pending: { source: string; by: number; gesture: string } | null = null;
let moving = false;

export function moveGrid(source: Source, by: number, gesture: string): void {
  if (pending && pending.source === source.id && pending.gesture === gesture) pending.by += by;
  else pending = { source: source.id, by, gesture };
  if (moving) return;
  moving = true;
  void (async () => {
    while (pending) {
      const { source: id, by: samples, gesture: one } = pending;
      pending = null;
      if (samples) await edit({ type: "move_grid", source: id, by: samples }, one);
    }
    moving = false;
  })();
}

/** Bar one begins where the selection does, or at the cursor. */
export function barOneHere(): void {
  const source = currentSource();
  if (!source?.grid) return;
  const view = useView.getState();
  const selection = view.selection?.source === source.id ? view.selection : null;
  void edit({ type: "set_grid", source: source.id, bar_one: Math.round(selection?.start ?? view.cursor) });
}

const taps: { source: string; places: number[]; last: number; gesture: string } = {
  source: "",
  places: [],
  last: 0,
  gesture: "",
};
const TAP_PAUSE_MS = 2500;

/** A tap along with the record: from the third on, they make its tempo. */
export function tap(): number {
  const source = currentSource();
  if (!source || useTape.getState().playing !== source.audio) return 0;
  const now = performance.now();
  if (taps.source !== source.id || now - taps.last > TAP_PAUSE_MS)
    Object.assign(taps, { source: source.id, places: [], gesture: newGesture() });
  taps.last = now;
  taps.places.push(Math.round(tapePlayer.place()));
  if (taps.places.length >= 3) void edit({ type: "tap_tempo", source: source.id, taps: taps.places }, taps.gesture);
  return taps.places.length;
}
