/** Plays a source from anywhere, streaming what it needs; loops a stretch of it. */
import { create } from "zustand";

import { pcm } from "../api/client";
import { audio, clock, mark, output, wake, worklet } from "./engine";
import { CHUNK, JOIN, type TapeMessage, type TapeReport } from "./tapeMessages";
import workletUrl from "./tape.worklet.ts?worker&url";

export const tapeWorkletUrl = workletUrl;
const AHEAD = 3;
const MOST_CHUNKS = 48;

export interface Stretch {
  start: number;
  end: number;
}

export const useTape = create<{ playing: string | null }>(() => ({ playing: null }));

class TapePlayer {
  private node: AudioWorkletNode | null = null;
  private connecting: Promise<AudioWorkletNode> | null = null;
  private hash = "";
  private frames = 0;
  private here = new Map<number, number>();
  private coming = new Set<number>();
  private loop: Stretch | null = null;
  private run = 0;
  private report: TapeReport = { run: 0, place: 0, frame: 0, playing: false };
  private trim: GainNode | null = null;
  private db = 0;
  private clicks: { places: number[]; accents: boolean[]; level: number } | null = null;

  private connect(): Promise<AudioWorkletNode> {
    this.connecting ??= worklet(workletUrl).then(() => {
      const node = new AudioWorkletNode(audio(), "grain-tape", { numberOfInputs: 0, outputChannelCount: [2] });
      this.trim = audio().createGain();
      node.connect(this.trim).connect(output());
      this.setTrim(this.db);
      node.port.onmessage = (event: MessageEvent<TapeReport>) => this.hear(event.data);
      this.node = node;
      this.sendClicks();
      void Promise.all([pcm("/api/click/0"), pcm("/api/click/1")]).then(([beat, accent]) =>
        this.post({ type: "clickSounds", beat: beat[0], accent: accent[0] }),
      );
      return node;
    });
    return this.connecting;
  }

  private hear(report: TapeReport): void {
    // What fades out was started before.
    if (report.run !== this.run) return;
    this.report = report;
    if (!report.playing && useTape.getState().playing) useTape.setState({ playing: null });
    if (report.playing) this.fill(report.place);
  }

  private post(message: TapeMessage): void {
    this.node?.port.postMessage(message);
  }

  /** Make ready to play a source near a place, so that play starts at once. */
  async prepare(hash: string, frames: number, place: number): Promise<void> {
    await this.connect();
    if (hash !== this.hash) {
      if (useTape.getState().playing) return;
      this.switchTo(hash, frames);
    }
    this.fill(place);
  }

  private switchTo(hash: string, frames: number): void {
    this.hash = hash;
    this.frames = frames;
    this.here.clear();
    this.coming.clear();
    this.post({ type: "clear" });
  }

  async play(hash: string, frames: number, place: number, loop: Stretch | null): Promise<void> {
    wake();
    // Said at once: who stops it while the player is being made is not to hear it after all.
    useTape.setState({ playing: hash });
    await this.connect();
    if (useTape.getState().playing !== hash) return;
    if (hash !== this.hash) this.switchTo(hash, frames);
    this.loop = loop;
    this.run++;
    this.report = { run: this.run, place, frame: Math.round(clock() * audio().sampleRate), playing: true };
    this.fill(place);
    this.post({
      type: "play",
      run: this.run,
      place,
      end: frames,
      loopStart: loop?.start ?? -1,
      loopEnd: loop?.end ?? -1,
    });
    mark("tape start");
  }

  setLoop(loop: Stretch | null): void {
    this.loop = loop;
    this.post({ type: "loop", loopStart: loop?.start ?? -1, loopEnd: loop?.end ?? -1 });
  }

  /** Level of the record, in dB: its trim. */
  setTrim(db: number): void {
    this.db = db;
    if (this.trim) this.trim.gain.value = 10 ** (db / 20);
  }

  /** Clicks on the lines of a grid, or none. places: samples of the source, rising; level: linear. */
  setClicks(clicks: { places: number[]; accents: boolean[]; level: number } | null): void {
    this.clicks = clicks;
    this.sendClicks();
  }

  private sendClicks(): void {
    const clicks = this.clicks;
    this.post({
      type: "clicks",
      places: clicks ? Float64Array.from(clicks.places) : null,
      accents: Uint8Array.from(clicks?.accents ?? [], Number),
      level: clicks?.level ?? 0,
    });
  }

  stop(): void {
    this.post({ type: "stop" });
    useTape.setState({ playing: null });
  }

  /** The sample of the source that is heard now. */
  place(): number {
    if (!useTape.getState().playing) return this.report.place;
    const now = (clock() - audio().baseLatency) * audio().sampleRate;
    let place = this.report.place + (now - this.report.frame);
    if (this.loop && this.loop.end > this.loop.start && place >= this.loop.end)
      place = this.loop.start + ((place - this.loop.start) % (this.loop.end - this.loop.start));
    return Math.min(this.frames, Math.max(0, place));
  }

  /** Fetch the chunks from a place on, round the loop if there is one; let go of the oldest. */
  private fill(place: number): void {
    const last = Math.floor(Math.max(0, this.frames - 1) / CHUNK);
    const wanted: number[] = [];
    for (let i = 0; i <= AHEAD; i++) wanted.push(Math.floor(place / CHUNK) + i);
    if (this.loop)
      for (let i = 0; i <= 1; i++) wanted.push(Math.max(0, Math.floor((this.loop.start - JOIN) / CHUNK)) + i);
    const now = performance.now();
    for (const number of wanted) {
      if (number > last) continue;
      if (this.here.has(number)) this.here.set(number, now);
      else if (!this.coming.has(number)) void this.fetch(number);
    }
    if (this.here.size > MOST_CHUNKS) {
      const oldest = [...this.here].sort((a, b) => a[1] - b[1]).slice(0, this.here.size - MOST_CHUNKS);
      for (const [number] of oldest) this.here.delete(number);
      this.post({ type: "drop", numbers: oldest.map(([number]) => number) });
    }
  }

  private async fetch(number: number): Promise<void> {
    const hash = this.hash;
    this.coming.add(number);
    try {
      const [left, right] = await pcm(`/api/audio/${hash}/pcm/${number}`);
      if (hash !== this.hash) return;
      this.post({ type: "chunk", number, left, right });
      this.here.set(number, performance.now());
    } catch {
      // Asked for again with the next report.
    } finally {
      this.coming.delete(number);
    }
  }
}

export const tapePlayer = new TapePlayer();
