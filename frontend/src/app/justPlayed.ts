/** What was played on the pads in the last half minute, though nothing was recorded: it can still be kept. */
import { create } from "zustand";

import type { Hit } from "../api/types";
import { newHit } from "../stations/rhythm/hits";
import { choosePattern } from "./actions";
import { edit } from "./edits";
import { ordered, usePocket } from "./pocket";
import { useView } from "./view";

const KEPT_MS = 30_000;
const MOST = 512;
const SHORTEST = 0.01;

/** beat: of the pattern that was heard then, null where nothing played; at, until: on the clock of performance.now(). */
interface Stroke {
  pad: number;
  note: number;
  velocity: number;
  at: number;
  until: number | null;
  pattern: string | null;
  beat: number | null;
}

let strokes: Stroke[] = [];
export const useJustPlayed = create<{ count: number }>(() => ({ count: 0 }));

export function notePress(stroke: Omit<Stroke, "until">): void {
  strokes = strokes.filter((one) => stroke.at - one.at < KEPT_MS).slice(-MOST);
  strokes.push({ ...stroke, until: null });
  useJustPlayed.setState({ count: strokes.length });
}

export function noteRelease(pad: number, note: number, at: number): void {
  const down = strokes.findLast((one) => one.pad === pad && one.note === note && one.until === null);
  if (down) down.until = at;
}

export function forgetPlayed(): void {
  strokes = [];
  useJustPlayed.setState({ count: 0 });
}

/** Into the pattern in view where it was heard along with it; else from its first stroke on, as a pattern of its own. */
export async function keepJustPlayed(): Promise<void> {
  const pocket = usePocket.getState().open?.pocket;
  const id = useView.getState().pattern;
  const pattern = id ? pocket?.patterns[id] : undefined;
  if (!pocket || !strokes.length) return;
  const per = pocket.tempo / 60_000;
  const length = (one: Stroke) => Math.max(SHORTEST, ((one.until ?? one.at + 250) - one.at) * per);
  const along = pattern ? strokes.filter((one) => one.pattern === id && one.beat !== null) : [];
  const made = (one: Stroke, beat: number): Hit =>
    newHit(one.pad, Math.round(beat * 1e6) / 1e6, { note: one.note, velocity: one.velocity, length: length(one) });
  if (pattern && along.length) {
    const hits = along.map((one) => made(one, one.beat as number));
    if (await edit({ type: "keep_recording", pattern: pattern.id, hits })) forgetPlayed();
    return;
  }
  const first = (strokes[0] as Stroke).at;
  const beats = strokes.map((one) => (one.at - first) * per);
  const perBar = pattern?.beats_per_bar ?? 4;
  const bars = Math.min(64, Math.max(1, Math.ceil((Math.max(...beats) + 1e-3) / perBar)));
  const hits = strokes.map((one, i) => made(one, beats[i] as number)).filter((hit) => hit.beat < bars * perBar);
  const name = `Just played ${Object.keys(pocket.patterns).length + 1}`;
  if (!(await edit({ type: "add_pattern", name, bars, beats_per_bar: perBar, hits }))) return;
  forgetPlayed();
  const newest = ordered(usePocket.getState().open?.pocket.patterns ?? {}).at(-1);
  await choosePattern(newest?.id ?? null);
}
