/** What Chop does beyond single cuts: laying a find out over pads, the tray, stepping, live cutting, favourites. */
import { api, ask } from "../api/client";
import type { Edit, Favourite, FoundSlice, Role, Source } from "../api/types";
import { tapePlayer, useTape } from "../audio/tape";
import { currentSource, ontoPads, playSlice, showNewest } from "./actions";
import { edit } from "./edits";
import { usePocket } from "./pocket";
import { queries } from "./queries";
import { toast } from "./toasts";
import { useView } from "./view";

type Ref = Extract<Edit, { type: "add_to_tray" }>["slices"][number];

function selected(source: Source): { start?: number; end?: number } {
  const selection = useView.getState().selection;
  return selection?.source === source.id && selection.end > selection.start
    ? { start: Math.round(selection.start), end: Math.round(selection.end) }
    : {};
}

export function fitToPads(how: "beats" | "slices", pads: number): void {
  const source = currentSource();
  if (source) void ontoPads({ type: "fit_to_pads", source: source.id, how, pads, ...selected(source) }, "chop");
}

/** One pad for each drum, and a pattern that plays them as they were; then look at it. */
export async function splitByDrum(): Promise<void> {
  const source = currentSource();
  if (source && (await ontoPads({ type: "split_by_role", source: source.id, ...selected(source) }, "lane")))
    await showNewest();
}

export function intoTray(refs: Ref[]): void {
  if (!refs.length) return;
  const before = usePocket.getState().open?.pocket.tray.length ?? 0;
  void edit({ type: "add_to_tray", slices: refs }).then((made) => {
    const now = usePocket.getState().open?.pocket.tray.length ?? 0;
    if (made && now === before) toast({ title: "In the tray already", tone: "note" });
  });
}

/** The chosen slices, or the selection. */
export function chosenIntoTray(): void {
  const source = currentSource();
  if (!source) return;
  const cuts = source.cuts.filter((c) => useView.getState().cuts.includes(c.id));
  const span = selected(source);
  if (cuts.length) intoTray(cuts.map((c) => ({ source: source.id, cut: c.id })));
  else if (span.start !== undefined) intoTray([{ source: source.id, ...span }]);
}

/** The chosen slices on the pads that are chosen, one each in order: in place of what is there, or along with it. */
export function ontoChosen(layer: boolean): void {
  const source = currentSource();
  const { cuts, pads } = useView.getState();
  if (!source) return;
  const chosen = source.cuts.filter((c) => cuts.includes(c.id)).map((c) => c.id);
  const onto = [...pads].sort((a, b) => a - b);
  void edit({
    type: "slices_to_pads",
    source: source.id,
    cuts: chosen.slice(0, onto.length),
    pads: onto.slice(0, chosen.length),
    layer,
  });
}

export function trayToPads(layer = false): Promise<boolean> {
  const pads = useView.getState().pads;
  const tray = usePocket.getState().open?.pocket.tray.length ?? 0;
  return ontoPads({ type: "tray_to_pads", ...(layer ? { pads: pads.slice(0, tray), layer: true } : {}) }, "chop");
}

/** Let a pad play the slice before or after its own. */
export function stepPad(pad: number, way: 1 | -1): void {
  const pocket = usePocket.getState().open?.pocket;
  const now = pocket?.pads[pad];
  const source = now && pocket.sources[now.chop.source];
  if (!now || !source?.cuts.length) return;
  const at = source.cuts.findIndex((c) => c.id === now.chop.cut);
  const next = source.cuts[at < 0 ? 0 : (at + way + source.cuts.length) % source.cuts.length];
  if (next) void edit({ type: "play_slice", pad, source: source.id, cut: next.id });
}

const likes = new Map<number, { from: string; list: FoundSlice[]; at: number }>();

/** Let a pad play what sounds most like it, then the next like it, and back again. */
export async function stepLike(pad: number, way: 1 | -1): Promise<void> {
  const open = usePocket.getState().open;
  const now = open?.pocket.pads[pad];
  if (!open || !now?.chop.cut) {
    toast({
      title: "Nothing to compare",
      text: "This pad plays no slice, but a stretch of its own. Cut it out first.",
      tone: "note",
    });
    return;
  }
  let known = likes.get(pad);
  const shown = known && (known.at < 0 ? known.from : known.list[known.at]?.cut);
  if (!known || shown !== now.chop.cut) {
    const body = { near: [now.chop.source, now.chop.cut] as [string, string], rank: "like" as const };
    const { slices } = await ask(
      api.POST("/api/pockets/{pocket}/slices", { params: { path: { pocket: open.id } }, body }),
    );
    known = { from: now.chop.cut, list: slices.slice(0, 24), at: -1 };
    likes.set(pad, known);
    known.list.unshift({ ...(known.list[0] as FoundSlice), source: now.chop.source, cut: now.chop.cut });
    known.at = 0;
  }
  const next = (known.at + way + known.list.length) % known.list.length;
  const one = known.list[next];
  if (one && (await edit({ type: "play_slice", pad, source: one.source, cut: one.cut, keep_role: true })))
    known.at = next;
}

/** Pads cut live while the find goes round: pressed again, they take a new place. */
const inThisPass = new Set<number>();
useTape.subscribe((now, before) => {
  if (now.playing !== before.playing) inThisPass.clear();
});

/** Cut with a press of a pad, if that is what presses do now. at: when it was pressed, on the clock of performance.now(). */
export function cutLive(pad: number, at: number): boolean {
  const view = useView.getState();
  const source = currentSource();
  if (!view.live || !source || useTape.getState().playing !== source.audio) return false;
  const taken = Boolean(usePocket.getState().open?.pocket.pads[pad]);
  if (taken && !inThisPass.has(pad)) return false;
  const ago = Math.max(0, performance.now() - at) / 1000;
  const rate = usePocket.getState().open?.pocket.rate ?? 44100;
  const place = Math.max(0, Math.round(tapePlayer.place() - ago * rate));
  const own = {
    ...(view.catchMs === null ? {} : { window: view.catchMs }),
    ...(view.delayMs === null ? {} : { latency: view.delayMs }),
  };
  void edit({ type: "live_cut", source: source.id, pad, at: place, passed: [...inThisPass], ...own }).then((made) => {
    if (made) view.look({ pads: [pad] });
    else if (!taken) inThisPass.delete(pad);
  });
  inThisPass.add(pad);
  return true;
}

export function playFound(one: FoundSlice): void {
  const source = usePocket.getState().open?.pocket.sources[one.source];
  if (source) playSlice(source, one.cut);
}

/** Keep what pads play on the shelf, across pockets. */
export async function keepOnShelf(pads: number[]): Promise<void> {
  const open = usePocket.getState().open;
  if (!open) return;
  try {
    const { shelf } = await ask(
      api.POST("/api/pockets/{pocket}/shelf", { params: { path: { pocket: open.id } }, body: { pads } }),
    );
    await queries.invalidateQueries({ queryKey: ["shelf"] });
    toast({
      title: shelf.length === 1 ? `${shelf[0]?.favourite.name} is on the shelf` : `${shelf.length} are on the shelf`,
      tone: "note",
    });
  } catch (error) {
    toast({ title: "Not kept", text: (error as Error).message, tone: "error" });
  }
}

export function fromShelf(favourite: Favourite, first: number | null = null): void {
  void ontoPads({ type: "take_from_shelf", favourite, first }, "favourite");
}

/** Name a slice by hand; without a name it is called by what it is. */
export function nameSlice(source: Source, cut: string, name: string): void {
  const role = source.cuts.find((one) => one.id === cut)?.role ?? null;
  void edit({ type: "name_slice", source: source.id, cut, name: name || null, role });
}

/** Say what the chosen slices are, in one step of undo. */
export function setRole(source: Source, role: Role): void {
  const cuts = source.cuts.map(({ id }) => id).filter((id) => useView.getState().cuts.includes(id));
  if (cuts.length) void edit({ type: "set_role", source: source.id, cuts, role });
}
