/**
 * What is played on the pads, recorded into the pattern: count-in, then as long as it plays. Hits stand exactly where they were
 * played. Each is put in as soon as it has rung out under the hand: put in before, the loop would play it a second time.
 */
import { create } from "zustand";

import type { Hit } from "../api/types";
import { audio, output, wake } from "../audio/engine";
import { loopPlayer, useLoop } from "../audio/loop";
import { newGesture } from "../design/NumberField";
import { togglePattern } from "./actions";
import { edit } from "./edits";
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
};

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
  });
  useTaking.setState({ taken: 0 });
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
    if (done >= mine.beats_per_bar - 0.01) {
      togglePattern();
      go();
    } else {
      useTaking.setState({ beat: Math.min(mine.beats_per_bar, Math.max(1, Math.floor(done) + 1)) });
      take.counting = window.setTimeout(count, 8);
    }
  };
  count();
}

function click(at: number, first: boolean): void {
  const context = audio();
  const sound = context.createOscillator();
  const gain = context.createGain();
  sound.frequency.value = first ? 1760 : 1320;
  gain.gain.setValueAtTime(0.25, at);
  gain.gain.exponentialRampToValueAtTime(0.001, at + 0.05);
  sound.connect(gain).connect(output());
  sound.start(at);
  sound.stop(at + 0.06);
}

function go(): void {
  take.last = loopPlayer.place();
  useTaking.setState({ state: "on", beat: 0 });
  take.timer = window.setInterval(watch, WATCH_MS);
}

/** Follows the loop round; ends when it stops. */
function watch(): void {
  if (!useLoop.getState().playing) return stopTaking();
  const place = loopPlayer.place();
  round(place);
  flush(performance.now());
}

/** Counts the passes. */
function round(place: number): void {
  if (place < take.last - (loopPlayer.loop()?.length ?? 0) / 2) take.passes++;
  take.last = place;
}

/** Beats of the pattern at a moment of performance.now(). */
function beatAt(at: number): number {
  const loop = loopPlayer.loop();
  if (!loop) return 0;
  const late = (performance.now() - at) / 1000 + (useView.getState().delayMs ?? 0) / 1000;
  return ((loopPlayer.place() / loop.rate - late) * loop.tempo) / 60;
}

/** note: semitones from the pad's root, where keys play notes. */
export function takePress(pad: number, velocity: number, at: number, note = 0): void {
  if (useTaking.getState().state === "counting" || useTaking.getState().state === "off") return;
  round(loopPlayer.place());
  const beat = beatAt(at);
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
  if (!down) return;
  take.down.delete(slotOf(pad, note));
  round(loopPlayer.place());
  const until = take.passes * take.beats + beatAt(performance.now());
  const length = Math.max(SHORTEST, until - down.from);
  const hit: Hit = {
    id: "",
    pad,
    beat: down.beat,
    velocity: down.velocity,
    length,
    take: 0,
    note: down.note,
    own: {},
    roll: null,
  };
  take.waiting.push({ hit, until: Math.max(down.ends, performance.now()) });
  useTaking.setState((s) => ({ taken: s.taken + 1 }));
}

/** Put in what has rung out by now. */
function flush(now: number): void {
  const hits = take.waiting.filter(({ until }) => until <= now).map(({ hit }) => hit);
  take.waiting = take.waiting.filter(({ until }) => until > now);
  if (hits.length) void edit({ type: "put_hits", pattern: take.pattern, hits }, take.gesture);
}

export function stopTaking(): void {
  for (const { pad, note } of [...take.down.values()]) takeRelease(pad, note);
  window.clearInterval(take.timer);
  window.clearTimeout(take.counting);
  flush(Number.POSITIVE_INFINITY);
  const { taken, state } = useTaking.getState();
  useTaking.setState({ state: "off", beat: 0 });
  if (taken)
    toast({
      title: `${taken} ${taken === 1 ? "hit" : "hits"} recorded`,
      text: "Undo takes the whole take back.",
      tone: "note",
    });
  else if (state === "on") toast({ title: "Nothing was played", tone: "note" });
}
