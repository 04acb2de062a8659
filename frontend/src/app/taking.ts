/**
 * What is played on the pads, recorded into the pattern: count-in, then as long as it plays. Hits stand exactly where they were
 * played. Each is put in as soon as it has rung out under the hand: put in before, the loop would play it a second time.
 * A take is kept; where takes replace each other, each time round is one. Settings of pads that are moved meanwhile are written
 * into the hits that pass.
 */
import { create } from "zustand";

import type { Hit } from "../api/types";
import { audio, wake } from "../audio/engine";
import { loopPlayer, useLoop } from "../audio/loop";
import { newGesture } from "../design/NumberField";
import { newHit } from "../stations/rhythm/hits";
import { togglePattern } from "./actions";
import { edit } from "./edits";
import { notePress, noteRelease } from "./justPlayed";
import { click } from "./latency";
import { usePocket } from "./pocket";
import { soundOf } from "./sounds";
import { stopAll } from "./sounding";
import { toast } from "./toasts";
import { useView } from "./view";

/** beat: of the count-in, from 1; taken: hits so far. */
export const useTaking = create<{ state: "off" | "counting" | "on"; beat: number; taken: number }>(() => ({
  state: "off",
  beat: 0,
  taken: 0,
}));

interface Down {
  pad: number;
  note: number;
  velocity: number;
  /** Beats since the take began, and where in the pattern that is. */
  from: number;
  beat: number;
  /** When its voice has ended by itself, on the clock of performance.now(). */
  ends: number;
}

interface Waiting {
  hit: Hit;
  until: number;
}

const WATCH_MS = 40;
const SHORTEST = 0.01;
const take = {
  pattern: "",
  gesture: "",
  beats: 0,
  passes: 0,
  last: 0,
  began: 0,
  timer: 0,
  counting: 0,
  down: new Map<string, Down>(),
  waiting: [] as Waiting[],
  /** Put in since the take began. */
  made: [] as Hit[],
  replaces: false,
  /** Settings that the hand is moving: pads, values, until when. */
  moves: [] as { pads: number[]; own: Record<string, number | boolean | string>; until: number }[],
  watched: 0,
};
/** A setting that has not moved for so long is let go of. */
const HELD_MS = 250;

const slotOf = (pad: number, note: number) => `${pad} ${note}`;

function pattern() {
  const id = useView.getState().pattern;
  return (id && usePocket.getState().open?.pocket.patterns[id]) || null;
}

export function toggleTaking(): void {
  if (useTaking.getState().state === "off") void begin();
  else stopTaking();
}

async function begin(): Promise<void> {
  const mine = pattern();
  const pocket = usePocket.getState().open?.pocket;
  if (!mine || !pocket) {
    toast({ title: "No pattern to record into", text: "Make one first: New pattern, here in Rhythm.", tone: "note" });
    return;
  }
  Object.assign(take, {
    pattern: mine.id,
    gesture: newGesture(),
    beats: mine.bars * mine.beats_per_bar,
    passes: 0,
    last: 0,
    down: new Map(),
    waiting: [],
    made: [],
    moves: [],
    replaces: useView.getState().replaceTake,
  });
  useTaking.setState({ taken: 0 });
  if (take.replaces && mine.recordings.some((one) => one.on))
    await edit({ type: "use_recordings", pattern: mine.id, recordings: [] }, take.gesture);
  if (useLoop.getState().playing) return go();
  stopAll();
  wake();
  await audio().resume();
  // The count-in: a bar of clicks, then bar one.
  const beat = 60 / pocket.tempo;
  const first = audio().currentTime + 0.06;
  for (let i = 0; i < mine.beats_per_bar; i++) click(first + i * beat, i === 0);
  useTaking.setState({ state: "counting", beat: 1 });
  const count = () => {
    if (useTaking.getState().state !== "counting") return;
    const done = (audio().currentTime - first) / beat;
    if (done >= mine.beats_per_bar - 0.01 && useLoop.getState().ready) {
      togglePattern();
      go();
    } else {
      useTaking.setState({ beat: Math.min(mine.beats_per_bar, Math.max(1, Math.floor(done) + 1)) });
      take.counting = window.setTimeout(count, 8);
    }
  };
  count();
}

function go(): void {
  take.last = take.watched = loopPlayer.place();
  useTaking.setState({ state: "on", beat: 0 });
  take.timer = window.setInterval(watch, WATCH_MS);
}

/** Follows the loop round; ends when it stops. */
function watch(): void {
  if (!useLoop.getState().playing) return stopTaking();
  const place = loopPlayer.place();
  round(place);
  flush(performance.now());
  writeMoves(place);
}

/** Where in one pass of the pattern a place of the loop lies, in beats. */
function inPattern(place: number): number {
  const loop = loopPlayer.loop();
  return loop ? (((place / loop.rate) * loop.tempo) / 60) % take.beats : 0;
}

/** The hits that passed since the last look take on what the hand has moved. */
function writeMoves(place: number): void {
  const now = performance.now();
  const [from, to] = [inPattern(take.watched), inPattern(place)];
  take.watched = place;
  take.moves = take.moves.filter((one) => one.until > now);
  const passed = (beat: number) => (from <= to ? beat >= from && beat < to : beat >= from || beat < to);
  for (const { pads, own } of take.moves) {
    const hits = pattern()?.hits.filter((hit) => pads.includes(hit.pad) && passed(hit.beat)) ?? [];
    if (hits.length)
      void edit({ type: "set_hits", pattern: take.pattern, hits: hits.map((hit) => hit.id), own }, take.gesture);
  }
}

/** A setting of pads moves: while something is recorded it goes into the hits that pass, and this is true. */
export function takeMove(pads: number[], own: Record<string, number | boolean | string>): boolean {
  if (useTaking.getState().state !== "on") return false;
  const until = performance.now() + HELD_MS;
  const same = take.moves.find((one) => one.pads.join() === pads.join());
  if (same) Object.assign(same, { own: { ...same.own, ...own }, until });
  else take.moves.push({ pads, own, until });
  return true;
}

/** Counts the passes. */
function round(place: number): void {
  const loop = loopPlayer.loop();
  const pass = (loop?.length ?? 0) / (loop?.passes ?? 1);
  // Through the passes of a loop and over its end.
  const went = Math.floor(place / pass) - Math.floor(take.last / pass);
  const over = place < take.last - (loop?.length ?? 0) / 2;
  if (over || went > 0) {
    take.passes++;
    if (take.replaces && take.made.length) void keep();
  }
  take.last = place;
}

/** Beats of the pattern at a moment of performance.now(). */
function beatAt(at: number): number {
  const loop = loopPlayer.loop();
  if (!loop) return 0;
  const late = (performance.now() - at) / 1000 + (useView.getState().delayMs ?? 0) / 1000;
  return ((loopPlayer.place() / loop.rate - late) * loop.tempo) / 60;
}

/** The same, from the beginning of the pass that is heard now: before it, a little under 0. */
function inThisPass(at: number): number {
  const loop = loopPlayer.loop();
  const pass = (loop?.length ?? 1) / (loop?.passes ?? 1);
  return beatAt(at) - Math.floor(loopPlayer.place() / pass) * take.beats;
}

/** note: semitones from the pad's root, where keys play notes. */
export function takePress(pad: number, velocity: number, at: number, note = 0): void {
  const state = useTaking.getState().state;
  if (state !== "on" || loopPlayer.loop()?.pattern !== take.pattern) {
    const loop = useLoop.getState().playing ? loopPlayer.loop() : null;
    const mine = loop && usePocket.getState().open?.pocket.patterns[loop.pattern];
    const long = mine ? mine.bars * mine.beats_per_bar : 0;
    const heard = loop && long ? ((beatAt(at) % long) + long) % long : null;
    notePress({ pad, note, velocity, at, pattern: loop?.pattern ?? null, beat: heard });
    return;
  }
  round(loopPlayer.place());
  const beat = inThisPass(at);
  const open = usePocket.getState().open;
  const frames = open?.sounds?.voices[pad]?.frames ?? 0;
  const settings = open?.pocket.pads[pad];
  const held = settings && soundOf(settings.sound).play !== "one-shot";
  const ends = held ? 0 : at + (1000 * frames) / audio().sampleRate;
  take.down.set(slotOf(pad, note), {
    pad,
    note,
    velocity,
    from: take.passes * take.beats + beat,
    beat: (beat + take.beats) % take.beats,
    ends,
  });
}

export function takeRelease(pad: number, note = 0): void {
  const down = take.down.get(slotOf(pad, note));
  if (!down) return noteRelease(pad, note, performance.now());
  take.down.delete(slotOf(pad, note));
  round(loopPlayer.place());
  const until = take.passes * take.beats + inThisPass(performance.now());
  const length = Math.max(SHORTEST, until - down.from);
  const hit = newHit(pad, down.beat, { velocity: down.velocity, length, note: down.note });
  take.waiting.push({ hit, until: Math.max(down.ends, performance.now()) });
  useTaking.setState((s) => ({ taken: s.taken + 1 }));
}

/** Put in what has rung out by now. */
function flush(now: number): void {
  const hits = take.waiting.filter(({ until }) => until <= now).map(({ hit }) => hit);
  take.waiting = take.waiting.filter(({ until }) => until > now);
  if (!hits.length) return;
  take.made.push(...hits);
  void edit({ type: "put_hits", pattern: take.pattern, hits: joined(hits) }, take.gesture);
}

/** What is put in while an edit waits to be sent takes its place: so what came before goes along. */
function joined(hits: Hit[]): Hit[] {
  const there = new Set(pattern()?.hits.map((hit) => `${hit.pad} ${hit.beat} ${hit.note}`) ?? []);
  const late = take.made.filter((hit) => !there.has(`${hit.pad} ${hit.beat} ${hit.note}`));
  return late.length > hits.length ? late : hits;
}

/** What was made is kept as a take; where takes replace each other, those before it are put away. */
async function keep(): Promise<void> {
  const made = take.made.splice(0);
  const alone = take.replaces;
  const { pattern: id, gesture } = take;
  // Behind what waits to be put in.
  await edit({ type: "put_hits", pattern: id, hits: made }, gesture);
  const places = new Set(made.map((hit) => `${hit.pad} ${hit.beat} ${hit.note}`));
  const now = usePocket.getState().open?.pocket.patterns[id];
  const ids = now?.hits.filter((hit) => places.has(`${hit.pad} ${hit.beat} ${hit.note}`)).map((hit) => hit.id) ?? [];
  if (ids.length) await edit({ type: "keep_recording", pattern: id, ids, alone }, gesture);
}

export function stopTaking(): void {
  for (const { pad, note } of [...take.down.values()]) takeRelease(pad, note);
  window.clearInterval(take.timer);
  window.clearTimeout(take.counting);
  flush(Number.POSITIVE_INFINITY);
  const { taken, state } = useTaking.getState();
  useTaking.setState({ state: "off", beat: 0 });
  if (take.made.length) void keep();
  if (taken)
    toast({
      title: `${taken} ${taken === 1 ? "hit" : "hits"} recorded`,
      text: "Kept as a take: Takes, in Rhythm. Undo takes it back whole.",
      tone: "note",
    });
  else if (state === "on") toast({ title: "Nothing was played", tone: "note" });
}
