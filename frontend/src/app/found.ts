/** Loops and hits that listening found: choose, hear, take. */
import type { Hearing, Role, Source } from "../api/types";
import { loopPlayer } from "../audio/loop";
import { previewPlayer } from "../audio/preview";
import { tapePlayer } from "../audio/tape";
import { voices } from "../audio/voices";
import { revealing, whole } from "../wave/viewport";
import { currentSource, ontoPads } from "./actions";
import { edit } from "./edits";
import { fits, playFitted } from "./fitting";
import { usePocket } from "./pocket";
import { queries } from "./queries";
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
export function listed(hearing: Hearing | undefined, kind: FoundKind): Found[] {
  if (!hearing) return [];
  if (kind === "loop") return hearing.loops.map((loop) => ({ start: loop.start, end: loop.end, name: `${loop.bars} ${loop.bars === 1 ? "bar" : "bars"}`, role: null }));
  const label = kind[0]?.toUpperCase() + kind.slice(1);
  return hearing.hits.filter((hit) => hit.role === kind).map((hit, i) => ({ start: hit.start, end: hit.end, name: `${label} ${i + 1}`, role: hit.role }));
}

function hearingOf(source: Source): Hearing | undefined {
  return queries.getQueryData<Hearing>(["hearing", source.audio]);
}

function chosen(source: Source): Found | null {
  const { found, selection } = useView.getState();
  if (found) return listed(hearingOf(source), found.kind)[found.index] ?? null;
  if (selection?.source === source.id && selection.end > selection.start) return { start: Math.round(selection.start), end: Math.round(selection.end), name: "", role: null };
  return null;
}

/** Choose one: the wave shows it, and it sounds; a loop goes round and round. */
export function choose(source: Source, kind: FoundKind, index: number): void {
  const one = listed(hearingOf(source), kind)[index];
  if (!one) return;
  const view = useView.getState();
  view.look({ found: { kind, index }, panel: "worth", selection: { source: source.id, start: one.start, end: one.end }, cursor: one.start });
  view.setWindow(source.id, revealing(view.windows[source.id] ?? whole(source.frames), one.start, one.end, source.frames));
  play(source, kind, one);
}

function play(source: Source, kind: FoundKind, one: Found): void {
  loopPlayer.stop();
  previewPlayer.stop();
  if (kind === "loop") {
    voices.stopSlice();
    if (fits()) void playFitted(source, one.start, one.end, true);
    else void tapePlayer.play(source.audio, source.frames, one.start, { start: one.start, end: one.end });
    return;
  }
  tapePlayer.stop();
  voices.audition(source.audio, one.start, one.end, source.trim).catch((error: Error) => toast({ title: "That hit cannot be played", text: error.message, tone: "error" }));
}

/** The one before or after in its list; past an end, the next list. */
export function step(way: 1 | -1): void {
  const source = currentSource();
  if (!source) return;
  const hearing = hearingOf(source);
  const all = KINDS.flatMap((kind) => listed(hearing, kind).map((_, index) => ({ kind, index })));
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

export function toPads(source: Source, some: Found[]): Promise<boolean> {
  return ontoPads({ type: "stretches_to_pads", source: source.id, stretches: some }, "sound");
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
  void edit({ type: "cut_stretches", source: source.id, stretches: [one] }).then((made) => {
    if (!made) return;
    const now = usePocket.getState().open?.pocket.sources[source.id];
    const cut = now?.cuts.reduce((best, c) => (Math.abs(c.at - one.start) < Math.abs(best.at - one.start) ? c : best));
    useView.getState().look({ station: "chop", cuts: cut ? [cut.id] : [], found: null });
  });
}
