/**
 * The pattern as a loop: segments fetched by key, laid end to end, handed to the worklet.
 */
import { create } from "zustand";

import type { Loop } from "../api/types";
import { mark, wake } from "./engine";
import { fetchGroup, fetchSegments, Line, type Segment, type Stereo } from "./line";

interface LoopState {
  playing: boolean;
  /** Whether a loop is ready to play. */
  ready: boolean;
  /** It was to be played before it was here: it begins as soon as it is. */
  asked: boolean;
  /** Beats between which alone it goes round while it is worked on. */
  part: [number, number] | null;
  /** The pattern that comes at the next bar, while another one is heard. */
  next: string | null;
}

export const useLoop = create<LoopState>(() => ({
  playing: false,
  ready: false,
  asked: false,
  part: null,
  next: null,
}));

const MOST_KEPT = 1200;
/** Of what is rendered as it is asked for: the first ones in small groups, so that they are heard at once. */
const GROUPS = [1, 2, 4, 8];

class LoopPlayer {
  private line = new Line(
    (playing) => {
      useLoop.setState({ playing });
      if (!playing) this.takeNext();
    },
    () => this.takeNext(),
  );
  /** What comes at the next bar: another pattern, chosen while this one is heard. */
  private next: { loop: Loop; sum: Stereo } | null = null;
  private kept = new Map<string, Stereo>();
  private shown: Loop | null = null;
  private sum: Stereo = [new Float32Array(0), new Float32Array(0)];
  private wanted = 0;
  private latest: Loop | null = null;

  /** Plans that came while something else plays: the newest waits. */
  private held: [Loop | null, () => void] | null = null;
  private holding = false;

  /** While the song plays the loop is not fetched: both are rendered in one place. */
  hold(on: boolean): void {
    this.holding = on;
    const late = this.held;
    this.held = null;
    if (!on && late) void this.update(...late);
  }

  /** Take on a new plan: fetch what is not here, then change only what differs. Calls overtaken by a newer one give up. */
  async update(loop: Loop | null, onForgotten: () => void): Promise<void> {
    if (loop && loop === this.latest) return;
    if (this.holding && loop) {
      this.held = [loop, onForgotten];
      return;
    }
    this.latest = loop;
    const ticket = ++this.wanted;
    if (!loop || !loop.segments.length) {
      this.stop();
      this.shown = null;
      useLoop.setState({ ready: false, asked: false });
      return;
    }
    try {
      const missing = this.fromPlayhead(loop).filter(({ key }) => !this.kept.has(key));
      if (loop.settled) await fetchSegments(missing, (key, sound) => this.kept.set(key, sound));
      else await this.fetchInTurn(loop, missing, ticket);
    } catch {
      this.latest = null;
      if (ticket === this.wanted) onForgotten();
      return;
    }
    if (ticket !== this.wanted) return;
    mark("segments here");
    this.show(loop);
    this.forget(loop);
    const { asked } = useLoop.getState();
    useLoop.setState({ ready: true, asked: false });
    if (asked) this.start();
  }

  /** What the server renders now, from the playhead on: each group is heard as it comes. */
  private async fetchInTurn(loop: Loop, missing: Segment[], ticket: number): Promise<void> {
    let alike = this.isAlike(loop);
    for (let first = 0, group = 0; first < missing.length; group++) {
      const count = GROUPS[Math.min(group, GROUPS.length - 1)] as number;
      const mine = missing.slice(first, first + count);
      await fetchGroup(mine, (key, sound) => this.kept.set(key, sound));
      if (ticket !== this.wanted) return;
      if (alike) this.patch(mine);
      // Of another length, it is taken on as soon as what comes next is here; the rest follows in its place.
      else if (group >= 1 || first + count >= missing.length) {
        this.show(loop);
        alike = true;
      }
      if (group === 0) mark("loop scheduled");
      first += count;
    }
  }

  /** Segments in the order in which they will be heard, each sound once. */
  private fromPlayhead(loop: Loop): Segment[] {
    const place = this.place();
    const first = Math.max(
      0,
      loop.segments.findLastIndex(({ start }) => start <= place),
    );
    const ordered = [...loop.segments.slice(first), ...loop.segments.slice(0, first)];
    return [...new Map(ordered.map((segment) => [segment.key, segment])).values()];
  }

  private forget(loop: Loop): void {
    const used = new Set(loop.segments.map(({ key }) => key));
    for (const key of this.kept.keys()) {
      // What is named by a run is asked for by no other plan.
      if (this.kept.size <= MOST_KEPT && !key.includes("-")) continue;
      if (!used.has(key)) this.kept.delete(key);
    }
  }

  private isAlike(loop: Loop): boolean {
    const before = this.shown;
    return Boolean(
      before &&
      before.segments.length === loop.segments.length &&
      loop.segments.every(
        ({ start, frames }, i) => start === before.segments[i]?.start && frames === before.segments[i].frames,
      ),
    );
  }

  private show(loop: Loop): void {
    const before = this.shown;
    if (before && before.pattern !== loop.pattern && useLoop.getState().playing) return this.queue(loop);
    this.forgetNext();
    if (before && before.pattern !== loop.pattern) this.setPart(null);
    if (!before || !this.isAlike(loop)) {
      this.sum = [new Float32Array(loop.length), new Float32Array(loop.length)];
      for (const segment of loop.segments) this.lay(segment);
      // The same beat sounds on: samples scale with the tempo.
      const scale = before ? before.tempo / loop.tempo : 1;
      this.line.post({ type: "load", left: this.sum[0].slice(), right: this.sum[1].slice(), scale });
      if (before && before.tempo !== loop.tempo) this.setPart(useLoop.getState().part, loop);
    } else this.patch(loop.segments.filter(({ key }, i) => key !== before.segments[i]?.key));
    this.shown = loop;
    if (loop.settled) mark("loop scheduled");
  }

  /** Another pattern takes over where the bar ends that is heard now. */
  private queue(loop: Loop): void {
    const sum: Stereo = [new Float32Array(loop.length), new Float32Array(loop.length)];
    for (const { key, start } of loop.segments) {
      const part = this.kept.get(key);
      if (!part) continue;
      sum[0].set(part[0], start);
      sum[1].set(part[1], start);
    }
    this.next = { loop, sum };
    useLoop.setState({ next: loop.pattern });
    this.setPart(null);
    const bar = ((this.bars(this.shown as Loop) * 60) / (this.shown as Loop).tempo) * loop.rate;
    this.line.post({ type: "queue", left: sum[0].slice(), right: sum[1].slice(), every: bar });
  }

  /** Quarter notes of a bar of what is heard. */
  bars: (loop: Loop) => number = () => 4;

  private forgetNext(): void {
    if (!this.next) return;
    this.next = null;
    useLoop.setState({ next: null });
    this.line.post({ type: "queue", left: new Float32Array(0), right: new Float32Array(0), every: 0 });
  }

  /** It has come, or all has stopped: it is what is heard. */
  private takeNext(): void {
    if (!this.next) return;
    const { loop, sum } = this.next;
    this.next = null;
    this.shown = loop;
    this.sum = sum;
    useLoop.setState({ next: null });
    if (!useLoop.getState().playing) {
      this.line.post({ type: "load", left: sum[0].slice(), right: sum[1].slice(), scale: 1 });
    }
  }

  /** Go round between two beats of the pattern alone; null: all of it. To try things: the file is always whole. */
  setPart(part: [number, number] | null, loop = this.shown): void {
    const frame = (beat: number) => Math.round((beat * 60 * (loop?.rate ?? 0)) / (loop?.tempo ?? 1));
    useLoop.setState({ part: loop ? part : null });
    this.line.post({ type: "part", from: part ? frame(part[0]) : 0, to: part && loop ? frame(part[1]) : 0 });
  }

  private patch(changed: Segment[]): void {
    for (const segment of changed) this.lay(segment);
    const patches = changed.flatMap(({ key, start }) => {
      const part = this.kept.get(key);
      return part ? [{ start, left: part[0], right: part[1] }] : [];
    });
    if (patches.length) this.line.post({ type: "patch", patches });
  }

  private lay({ key, start }: Segment): void {
    const part = this.kept.get(key);
    if (!part) return;
    this.sum[0].set(part[0], start);
    this.sum[1].set(part[1], start);
  }

  /** Play from a sample of the loop, or from its beginning; as soon as it is here. */
  start(place?: number): void {
    if (!this.shown) {
      wake();
      useLoop.setState({ asked: true });
      return;
    }
    const part = useLoop.getState().part;
    const first = part ? Math.round((part[0] * 60 * this.shown.rate) / this.shown.tempo) : 0;
    this.line.start(place ?? first);
    mark("loop start");
  }

  stop(): void {
    if (useLoop.getState().asked) useLoop.setState({ asked: false });
    this.line.stop();
  }

  /** The sample of the loop that is heard now. */
  place(): number {
    const length = this.shown?.length ?? 0;
    if (!length || !useLoop.getState().playing) return 0;
    const place = this.line.place();
    const part = useLoop.getState().part;
    if (part && this.shown) {
      const [from, to] = part.map((beat) => (beat * 60 * (this.shown as Loop).rate) / (this.shown as Loop).tempo);
      const span = Math.max(1, (to as number) - (from as number));
      if (place >= (from as number)) return (from as number) + ((place - (from as number)) % span);
    }
    return ((place % length) + length) % length;
  }

  loop(): Loop | null {
    return this.shown;
  }

  /** The very samples that were scheduled. */
  scheduled(): Stereo {
    return this.sum;
  }
}

export const loopPlayer = new LoopPlayer();

/** Where in a picture of the loop that is so many pixels wide the playhead stands. */
export function inLoop(width: number): number | null {
  const loop = loopPlayer.loop();
  return loop ? (loopPlayer.place() / loop.length) * width : null;
}

/** The same in a picture of one pass of a pattern; null while another pattern is heard. */
export function inPass(pattern: string, width: number): number | null {
  const loop = loopPlayer.loop();
  if (!loop || loop.pattern !== pattern) return null;
  const pass = loop.length / (loop.passes ?? 1);
  return ((loopPlayer.place() % pass) / pass) * width;
}
