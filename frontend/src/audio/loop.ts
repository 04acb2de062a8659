/**
 * The pattern as a loop: segments fetched by key, laid end to end, handed to the worklet.
 */
import { create } from "zustand";

import type { Loop } from "../api/types";
import { mark } from "./engine";
import { fetchGroup, fetchSegments, Line, type Segment, type Stereo } from "./line";

interface LoopState {
  playing: boolean;
  /** Whether a loop is ready to play. */
  ready: boolean;
}

export const useLoop = create<LoopState>(() => ({ playing: false, ready: false }));

const MOST_KEPT = 1200;
/** Of what is rendered as it is asked for: the first ones in small groups, so that they are heard at once. */
const GROUPS = [1, 2, 4, 8];

class LoopPlayer {
  private line = new Line((playing) => useLoop.setState({ playing }));
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
      useLoop.setState({ ready: false });
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
    useLoop.setState({ ready: true });
  }

  /** What the server renders now, from the playhead on: each group is heard as it comes. */
  private async fetchInTurn(loop: Loop, missing: Segment[], ticket: number): Promise<void> {
    const alike = this.isAlike(loop);
    for (let first = 0, group = 0; first < missing.length; group++) {
      const count = GROUPS[Math.min(group, GROUPS.length - 1)] as number;
      const mine = missing.slice(first, first + count);
      await fetchGroup(mine, (key, sound) => this.kept.set(key, sound));
      if (ticket !== this.wanted) return;
      if (alike) this.patch(mine);
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
    if (!before || !this.isAlike(loop)) {
      this.sum = [new Float32Array(loop.length), new Float32Array(loop.length)];
      for (const segment of loop.segments) this.lay(segment);
      // The same beat sounds on: samples scale with the tempo.
      const scale = before ? before.tempo / loop.tempo : 1;
      this.line.post({ type: "load", left: this.sum[0].slice(), right: this.sum[1].slice(), scale });
    } else this.patch(loop.segments.filter(({ key }, i) => key !== before.segments[i]?.key));
    this.shown = loop;
    if (loop.settled) mark("loop scheduled");
  }

  private patch(changed: Segment[]): void {
    for (const segment of changed) this.lay(segment);
    const patches = changed.map(({ key, start }) => {
      const [left, right] = this.kept.get(key) as Stereo;
      return { start, left, right };
    });
    if (patches.length) this.line.post({ type: "patch", patches });
  }

  private lay({ key, start }: Segment): void {
    const part = this.kept.get(key) as Stereo;
    this.sum[0].set(part[0], start);
    this.sum[1].set(part[1], start);
  }

  start(place = 0): void {
    if (!this.shown) return;
    this.line.start(place);
    mark("loop start");
  }

  stop(): void {
    this.line.stop();
  }

  /** The sample of the loop that is heard now. */
  place(): number {
    const length = this.shown?.length ?? 0;
    if (!length || !useLoop.getState().playing) return 0;
    const place = this.line.place();
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
