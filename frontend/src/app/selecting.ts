/** A stretch of a find: chosen with snap, its edges moved while it goes round, and what it is taken for. */
import { api, ask } from "../api/client";
import type { Hearing, Source } from "../api/types";
import { usePreview } from "../audio/preview";
import { tapePlayer, useTape } from "../audio/tape";
import { fixed } from "../design/format";
import type { Grid } from "../wave/marks";
import { lengthOf, nearestLine } from "../wave/span";
import { fits, playFitted } from "./fitting";
import { edit } from "./edits";
import { usePocket } from "./pocket";
import { toast } from "./toasts";
import { type Span, useView } from "./view";

/** A tempo counts as sure from this confidence on, and as changed from this share on. */
const SURE = 0.9;
const CHANGED = 5e-4;
/** Shorter than this nothing goes round. */
const LEAST = 64;

export function selectionOf(source: Source): Span | null {
  const selection = useView.getState().selection;
  return selection?.source === source.id && selection.end > selection.start ? selection : null;
}

/** Select a stretch; what goes round follows it without a gap. */
export function select(source: Source, span: Span): void {
  const start = Math.max(0, Math.round(Math.min(span.start, span.end)));
  const end = Math.min(source.frames, Math.round(Math.max(span.start, span.end)));
  useView.getState().look({ selection: { source: source.id, start, end }, cuts: [] });
  if (useView.getState().loopSelection && useTape.getState().playing === source.audio && end - start >= LEAST)
    tapePlayer.setLoop({ start, end });
}

/** After the hand rests: what is heard fitted to the pocket is fitted anew. */
export function settleSelection(source: Source): void {
  const span = selectionOf(source);
  if (span && useView.getState().loopSelection && usePreview.getState().preview?.hash === source.audio && fits())
    void playFitted(source, span.start, span.end, true);
}

let asked = 0;

/** Where an edge goes for a place under the hand: at once when lines say so, else once the core has said. */
export async function snapped(source: Source, grid: Grid | null, place: number, free: boolean): Promise<number> {
  const snap = free ? "off" : useView.getState().selectSnap;
  if (snap === "off") return place;
  if (snap === "bars" || snap === "beats")
    return grid ? nearestLine(grid, place, snap === "bars", source.frames) : place;
  const pocket = usePocket.getState().open?.id;
  if (!pocket) return place;
  const mine = ++asked;
  const query = { at: Math.round(place), to: snap } as const;
  try {
    const { at } = await ask(
      api.GET("/api/pockets/{pocket}/sources/{source}/snap", {
        params: { path: { pocket, source: source.id }, query },
      }),
    );
    return mine === asked ? at : place;
  } catch {
    return place;
  }
}

const nudges = new Map<string, number>();

/** Move an edge of the selection by samples, as keys do. Resolves when what is heard follows. */
export function nudgeSelection(source: Source, edge: "start" | "end", by: number): void {
  const span = selectionOf(source);
  if (!span) return;
  const moved =
    edge === "start"
      ? { start: Math.min(span.end - LEAST, Math.max(0, span.start + by)), end: span.end }
      : { start: span.start, end: Math.max(span.start + LEAST, Math.min(source.frames, span.end + by)) };
  select(source, moved);
  window.clearTimeout(nudges.get(source.id));
  nudges.set(
    source.id,
    window.setTimeout(() => settleSelection(source), 250),
  );
}

/** The tempo of the find from the selection: it lasts so many bars or beats. Asked first when that changes a sure tempo. */
export function tempoFromSelection(
  source: Source,
  grid: Grid | null,
  hearing: Hearing | undefined,
  rate: number,
): void {
  const span = selectionOf(source);
  if (!span) return;
  const { count, unit } = lengthOf(span, grid, rate);
  setLength(source, hearing, span, count, unit, rate);
}

export function setLength(
  source: Source,
  hearing: Hearing | undefined,
  span: Span,
  count: number,
  unit: "bars" | "beats",
  rate: number,
): void {
  const [start, end] = [Math.round(span.start), Math.round(span.end)];
  const quarters = unit === "bars" ? count * (source.grid?.beats_per_bar ?? 4) : count;
  const bpm = (quarters * 60 * rate) / (end - start);
  const set = () => void edit({ type: "set_grid", source: source.id, start, end, [unit]: count });
  const old = source.grid;
  const found = old && hearing?.tempi.find((tempo) => Math.abs(tempo.bpm / old.bpm - 1) < CHANGED);
  const sure = old && (old.by === "hand" || old.bars !== null || (found?.confidence ?? 0) >= SURE);
  if (!old || !sure || Math.abs(bpm / old.bpm - 1) < CHANGED) return set();
  const why =
    old.by === "hand" ? "set by hand" : found ? `${Math.round(found.confidence * 100)} % sure` : "a whole loop";
  toast({
    title: `${source.name} is at ${fixed(old.bpm, 2)} BPM, ${why}`,
    text: `${count} ${unit} in that stretch would make it ${fixed(bpm, 2)} BPM, and move bar one.`,
    tone: "error",
    action: { label: `Make it ${fixed(bpm, 2)}`, run: set },
  });
}
