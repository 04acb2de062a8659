/**
 * The pattern as a loop: bars fetched by key, laid together exactly as the core lays them together, handed to the worklet.
 */
import { create } from "zustand";

import { pcm } from "../api/client";
import type { Loop } from "../api/types";
import { audio, mark, output, wake, worklet } from "./engine";
import type { LoopMessage, LoopReport } from "./loopMessages";
import workletUrl from "./loop.worklet.ts?worker&url";

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
  private report: LoopReport = { place: 0, frame: 0, playing: false };

  /** Take on a new plan: fetch what is not here, then change only what differs. Calls overtaken by a newer one give up. */
  async update(loop: Loop | null, onForgotten: () => void): Promise<void> {
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
      if (ticket === this.wanted) onForgotten();
      return;
    }
    if (ticket !== this.wanted) return;
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
    const sum = this.laid(loop);
    if (!before || before.length !== loop.length) {
      // The same beat sounds on: samples scale with the tempo.
      const scale = before ? before.tempo / loop.tempo : 1;
      this.post({ type: "load", left: sum[0].slice(), right: sum[1].slice(), scale });
    } else {
      for (const [start, end] of this.differing(sum)) {
        this.post({ type: "patch", start, left: sum[0].slice(start, end), right: sum[1].slice(start, end) });
      }
    }
    this.sum = sum;
    this.shown = loop;
    mark("loop scheduled");
  }

  /** The sum of the bars: the same additions in the same order as in the core. */
  private laid(loop: Loop): Stereo {
    const out: Stereo = [new Float32Array(loop.length), new Float32Array(loop.length)];
    for (const bar of loop.bars) {
      const part = this.bars.get(bar.key) as Stereo;
      for (let side = 0; side < 2; side++) addWrapped(out[side] as Float32Array, part[side] as Float32Array, bar.start - bar.lead);
    }
    return out;
  }

  /** Stretches in which a sum differs from the one that plays, in blocks. */
  private differing(sum: Stereo): [number, number][] {
    const block = 4096;
    const spans: [number, number][] = [];
    for (let start = 0; start < sum[0].length; start += block) {
      const end = Math.min(sum[0].length, start + block);
      if (same(sum[0], this.sum[0], start, end) && same(sum[1], this.sum[1], start, end)) continue;
      const last = spans[spans.length - 1];
      if (last && last[1] === start) last[1] = end;
      else spans.push([start, end]);
    }
    return spans;
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

export function addWrapped(loop: Float32Array, part: Float32Array, at: number): void {
  const length = loop.length;
  let place = ((at % length) + length) % length;
  for (let i = 0; i < part.length; i++) {
    loop[place] = (loop[place] as number) + (part[i] as number);
    if (++place === length) place = 0;
  }
}

function same(a: Float32Array, b: Float32Array, start: number, end: number): boolean {
  for (let i = start; i < end; i++) if (a[i] !== b[i]) return false;
  return true;
}

export const loopPlayer = new LoopPlayer();
