/**
 * The pattern as a loop: bars fetched by key, laid together exactly as the core lays them together, handed to the worklet.
 */
import { create } from "zustand";

import { pcm } from "../api/client";
import type { Loop } from "../api/types";
import { audio, mark, output, wake, worklet } from "./engine";
import type { LoopMessage, LoopReport } from "./loopMessages";
import workletUrl from "./loop.worklet.ts?worker&url";

type Span = [number, number];
type Stereo = [Float32Array<ArrayBuffer>, Float32Array<ArrayBuffer>];

interface LoopState {
  playing: boolean;
  /** Whether a loop is ready to play. */
  ready: boolean;
}

export const useLoop = create<LoopState>(() => ({ playing: false, ready: false }));

const MOST_BARS_KEPT = 400;

class LoopPlayer {
  private node: AudioWorkletNode | null = null;
  private bars = new Map<string, Stereo>();
  private shown: Loop | null = null;
  private sum: Stereo = [new Float32Array(0), new Float32Array(0)];
  private wanted = 0;
  private latest: Loop | null = null;
  private report: LoopReport = { place: 0, frame: 0, playing: false };

  /** Take on a new plan: fetch what is not here, then change only what differs. Calls overtaken by a newer one give up. */
  async update(loop: Loop | null, onForgotten: () => void): Promise<void> {
    if (loop && loop === this.latest) return;
    this.latest = loop;
    const ticket = ++this.wanted;
    if (!loop || !loop.bars.length) {
      this.stop();
      this.shown = null;
      useLoop.setState({ ready: false });
      return;
    }
    try {
      await Promise.all(this.fromPlayhead(loop).map((bar) => this.fetch(bar.key)));
    } catch {
      this.latest = null;
      if (ticket === this.wanted) onForgotten();
      return;
    }
    if (ticket !== this.wanted) return;
    mark("bars here");
    this.show(loop);
    this.forget(loop);
    useLoop.setState({ ready: true });
  }

  /** Bars in the order in which they will be heard. */
  private fromPlayhead(loop: Loop): Loop["bars"] {
    const place = this.place();
    const first = Math.max(0, loop.bars.findLastIndex((bar) => bar.start <= place));
    return [...loop.bars.slice(first), ...loop.bars.slice(0, first)];
  }

  private async fetch(key: string): Promise<void> {
    if (!this.bars.has(key)) this.bars.set(key, await pcm(`/api/sound/${key}`));
  }

  private forget(loop: Loop): void {
    const used = new Set(loop.bars.map((bar) => bar.key));
    for (const key of this.bars.keys()) {
      if (this.bars.size <= MOST_BARS_KEPT) return;
      if (!used.has(key)) this.bars.delete(key);
    }
  }

  private show(loop: Loop): void {
    const before = this.shown;
    if (!before || before.length !== loop.length || before.bars.length !== loop.bars.length) {
      this.sum = [new Float32Array(loop.length), new Float32Array(loop.length)];
      this.lay(loop, [[0, loop.length]]);
      // The same beat sounds on: samples scale with the tempo.
      const scale = before ? before.tempo / loop.tempo : 1;
      this.post({ type: "load", left: this.sum[0].slice(), right: this.sum[1].slice(), scale });
    } else {
      const spans = this.changed(before, loop);
      this.lay(loop, spans);
      for (const [start, end] of spans) this.post({ type: "patch", start, left: this.sum[0].slice(start, end), right: this.sum[1].slice(start, end) });
    }
    this.shown = loop;
    mark("loop scheduled");
  }

  /** Where on the loop a bar's audio lies: one stretch, or two when it runs over the end; all of it when it is longer. */
  private reach(bar: Loop["bars"][number], length: number): Span[] {
    const frames = this.bars.get(bar.key)?.[0].length ?? 0;
    if (frames >= length) return [[0, length]];
    const start = (((bar.start - bar.lead) % length) + length) % length;
    const end = start + frames;
    return end <= length ? [[start, end]] : [[start, length], [0, end - length]]; // prettier-ignore
  }

  /** The stretches in which one plan of the same length differs from another, apart and in order. */
  private changed(before: Loop, after: Loop): Span[] {
    const touched: Span[] = [];
    after.bars.forEach((bar, i) => {
      const old = before.bars[i] as Loop["bars"][number];
      if (old.key !== bar.key || old.lead !== bar.lead) touched.push(...this.reach(old, after.length), ...this.reach(bar, after.length));
    });
    touched.sort((a, b) => a[0] - b[0]);
    const out: Span[] = [];
    for (const [start, end] of touched) {
      const last = out[out.length - 1];
      if (last && start <= last[1]) last[1] = Math.max(last[1], end);
      else if (end > start) out.push([start, end]);
    }
    return out;
  }

  /** Make the sum of the bars anew within some stretches: the same additions in the same order as in the core. */
  private lay(loop: Loop, spans: Span[]): void {
    for (const [from, to] of spans) for (const side of this.sum) side.fill(0, from, to);
    for (const bar of loop.bars) {
      const part = this.bars.get(bar.key) as Stereo;
      for (let side = 0; side < 2; side++) {
        const out = this.sum[side] as Float32Array;
        for (const [from, to] of spans) addWithin(out, part[side] as Float32Array, bar.start - bar.lead, from, to);
      }
    }
  }

  private pending: LoopMessage[] = [];

  private post(message: LoopMessage): void {
    if (!this.node) {
      this.pending.push(message);
      void this.connect();
      return;
    }
    this.node.port.postMessage(message);
  }

  private connecting: Promise<void> | null = null;

  private connect(): Promise<void> {
    this.connecting ??= worklet(workletUrl).then(() => {
      const node = new AudioWorkletNode(audio(), "grain-loop", { numberOfInputs: 0, outputChannelCount: [2] });
      node.connect(output());
      node.port.onmessage = (event: MessageEvent<LoopReport>) => {
        this.report = event.data;
        if (useLoop.getState().playing !== event.data.playing && this.started <= event.data.frame) {
          useLoop.setState({ playing: event.data.playing });
        }
      };
      this.node = node;
      for (const message of this.pending.splice(0)) node.port.postMessage(message);
    });
    return this.connecting;
  }

  private started = 0;

  start(place = 0): void {
    if (!this.shown) return;
    wake();
    this.started = Math.round(audio().currentTime * audio().sampleRate);
    this.report = { place, frame: this.started, playing: true };
    this.post({ type: "start", place });
    mark("loop start");
    useLoop.setState({ playing: true });
  }

  stop(): void {
    if (this.node) this.post({ type: "stop" });
    this.started = Number.POSITIVE_INFINITY;
    useLoop.setState({ playing: false });
  }

  /** The sample of the loop that is heard now. */
  place(): number {
    const length = this.shown?.length ?? 0;
    if (!length || !useLoop.getState().playing) return 0;
    const now = audio().currentTime * audio().sampleRate - audio().baseLatency * audio().sampleRate;
    const place = this.report.place + (now - this.report.frame);
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

/** Add a part to a loop from sample `at` on, round and round its end, but only where it falls between `from` and `to`. */
export function addWithin(loop: Float32Array, part: Float32Array, at: number, from: number, to: number): void {
  const length = loop.length;
  let place = ((at % length) + length) % length;
  for (let done = 0; done < part.length; place = 0) {
    const run = Math.min(length - place, part.length - done);
    const first = Math.max(place, from);
    const last = Math.min(place + run, to);
    for (let i = first, k = done + first - place; i < last; i++, k++) loop[i] = (loop[i] as number) + (part[k] as number);
    done += run;
  }
}

export const loopPlayer = new LoopPlayer();
export const loopWorkletUrl = workletUrl;
