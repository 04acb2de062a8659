/**
 * The pattern as a loop: segments fetched by key, laid end to end, handed to the worklet.
 */
import { create } from "zustand";

import { floats } from "../api/client";
import type { Loop } from "../api/types";
import { audio, mark, output, wake, worklet } from "./engine";
import type { LoopMessage, LoopReport } from "./loopMessages";
import workletUrl from "./loop.worklet.ts?worker&url";

type Segment = Loop["segments"][number];
type Stereo = [Float32Array<ArrayBuffer>, Float32Array<ArrayBuffer>];

interface LoopState {
  playing: boolean;
  /** Whether a loop is ready to play. */
  ready: boolean;
}

export const useLoop = create<LoopState>(() => ({ playing: false, ready: false }));

const MOST_KEPT = 1200;
const MOST_AT_ONCE = 16;

class LoopPlayer {
  private node: AudioWorkletNode | null = null;
  private kept = new Map<string, Stereo>();
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
    if (!loop || !loop.segments.length) {
      this.stop();
      this.shown = null;
      useLoop.setState({ ready: false });
      return;
    }
    try {
      await this.fetch(this.fromPlayhead(loop).filter(({ key }) => !this.kept.has(key)));
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

  /** Segments in the order in which they will be heard, each sound once. */
  private fromPlayhead(loop: Loop): Segment[] {
    const place = this.place();
    const first = Math.max(0, loop.segments.findLastIndex(({ start }) => start <= place));
    const ordered = [...loop.segments.slice(first), ...loop.segments.slice(0, first)];
    return [...new Map(ordered.map((segment) => [segment.key, segment])).values()];
  }

  private async fetch(segments: Segment[]): Promise<void> {
    const groups = [];
    for (let i = 0; i < segments.length; i += MOST_AT_ONCE) groups.push(segments.slice(i, i + MOST_AT_ONCE));
    await Promise.all(groups.map((group) => this.fetchGroup(group)));
  }

  private async fetchGroup(group: Segment[]): Promise<void> {
    const all = await floats(`/api/sound/${group.map(({ key }) => key).join(".")}`);
    if (all.length !== 2 * group.reduce((sum, { frames }) => sum + frames, 0)) throw new Error("A loop's segment has another length than its plan says.");
    let at = 0;
    for (const { key, frames } of group) {
      // Copies, so that a whole group is not kept in memory for the sake of one segment.
      this.kept.set(key, [all.slice(at, at + frames), all.slice(at + frames, at + 2 * frames)]);
      at += 2 * frames;
    }
  }

  private forget(loop: Loop): void {
    const used = new Set(loop.segments.map(({ key }) => key));
    for (const key of this.kept.keys()) {
      if (this.kept.size <= MOST_KEPT) return;
      if (!used.has(key)) this.kept.delete(key);
    }
  }

  private show(loop: Loop): void {
    const before = this.shown;
    const alike = before && before.segments.length === loop.segments.length && loop.segments.every(({ start, frames }, i) => start === before.segments[i]?.start && frames === before.segments[i].frames);
    if (!alike) {
      this.sum = [new Float32Array(loop.length), new Float32Array(loop.length)];
      for (const segment of loop.segments) this.lay(segment);
      // The same beat sounds on: samples scale with the tempo.
      const scale = before ? before.tempo / loop.tempo : 1;
      this.post({ type: "load", left: this.sum[0].slice(), right: this.sum[1].slice(), scale });
    } else {
      const changed = loop.segments.filter(({ key }, i) => key !== before.segments[i]?.key);
      for (const segment of changed) this.lay(segment);
      const patches = changed.map(({ key, start }) => {
        const [left, right] = this.kept.get(key) as Stereo;
        return { start, left, right };
      });
      if (patches.length) this.post({ type: "patch", patches });
    }
    this.shown = loop;
    mark("loop scheduled");
  }

  private lay({ key, start }: Segment): void {
    const part = this.kept.get(key) as Stereo;
    this.sum[0].set(part[0], start);
    this.sum[1].set(part[1], start);
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

export const loopPlayer = new LoopPlayer();
export const loopWorkletUrl = workletUrl;
