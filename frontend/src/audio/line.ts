/** What the players of loops and of songs share: a worklet, where it is, and segments fetched by key. */
import { floats } from "../api/client";
import { audio, clock, straight, wake, worklet } from "./engine";
import type { LoopMessage, LoopReport } from "./loopMessages";
import workletUrl from "./loop.worklet.ts?worker&url";

export type Stereo = [Float32Array<ArrayBuffer>, Float32Array<ArrayBuffer>];

export interface Segment {
  key: string;
  start: number;
  frames: number;
}

const MOST_AT_ONCE = 16;

export class Line {
  private node: AudioWorkletNode | null = null;
  private pending: LoopMessage[] = [];
  private connecting: Promise<void> | null = null;
  private run = 0;
  private stopped = true;
  private report: LoopReport = { run: 0, place: 0, frame: 0, playing: false };
  playing = false;

  /** onPlaying: told when it begins or ends to play, by itself too; onBegun: when what was queued has begun. */
  constructor(
    private readonly onPlaying: (playing: boolean) => void,
    private readonly onBegun: () => void = () => undefined,
  ) {}

  post(message: LoopMessage): void {
    if (!this.node) {
      this.pending.push(message);
      void this.connect();
      return;
    }
    this.node.port.postMessage(message);
  }

  private connect(): Promise<void> {
    this.connecting ??= worklet(workletUrl).then(() => {
      const node = new AudioWorkletNode(audio(), "grain-loop", { numberOfInputs: 0, outputChannelCount: [2] });
      node.connect(straight());
      node.port.onmessage = (event: MessageEvent<LoopReport>) => {
        if (event.data.begun) this.onBegun();
        // What fades out was started before.
        if (event.data.run !== this.run) return;
        this.report = event.data;
        if (this.playing !== event.data.playing && !this.stopped) this.tell(event.data.playing);
      };
      this.node = node;
      for (const message of this.pending.splice(0)) node.port.postMessage(message);
    });
    return this.connecting;
  }

  private tell(playing: boolean): void {
    this.playing = playing;
    this.onPlaying(playing);
  }

  start(place: number): void {
    wake();
    this.stopped = false;
    this.run++;
    this.report = { run: this.run, place, frame: Math.round(clock() * audio().sampleRate), playing: true };
    this.post({ type: "start", run: this.run, place });
    this.tell(true);
  }

  stop(): void {
    if (this.node) this.post({ type: "stop" });
    this.stopped = true;
    this.tell(false);
  }

  /** The sample that is heard now, as if it went on for ever. */
  place(): number {
    const now = (clock() - audio().baseLatency) * audio().sampleRate;
    return this.report.place + (now - this.report.frame);
  }
}

/** Segments by key, sixteen to a request. */
export async function fetchSegments(segments: Segment[], take: (key: string, sound: Stereo) => void): Promise<void> {
  const groups = [];
  for (let i = 0; i < segments.length; i += MOST_AT_ONCE) groups.push(segments.slice(i, i + MOST_AT_ONCE));
  await Promise.all(groups.map((group) => fetchGroup(group, take)));
}

export async function fetchGroup(group: Segment[], take: (key: string, sound: Stereo) => void): Promise<void> {
  const all = await floats(`/api/sound/${group.map(({ key }) => key).join(".")}`);
  if (all.length !== 2 * group.reduce((sum, { frames }) => sum + frames, 0))
    throw new Error("A segment has another length than its plan says.");
  let at = 0;
  for (const { key, frames } of group) {
    // Copies, so that a whole group is not kept in memory for the sake of one segment.
    take(key, [all.slice(at, at + frames), all.slice(at + frames, at + 2 * frames)]);
    at += 2 * frames;
  }
}

export const loopWorkletUrl = workletUrl;
