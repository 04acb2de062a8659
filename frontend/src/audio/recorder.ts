/**
 * Records from the browser's input, or from the deck that stands in for it, into a take on the server. Every block is sent as it
 * comes, so that a tab that dies loses at most the last one.
 */
import { create } from "zustand";

import { api, ask, pcm } from "../api/client";
import { usePocket } from "../app/pocket";
import { audio, output, straight, wake, worklet } from "./engine";
import { loopPlayer, useLoop } from "./loop";
import { usePreview } from "./preview";
import workletUrl from "./recorder.worklet.ts?worker&url";
import { useTape } from "./tape";
import { CHUNK } from "./tapeMessages";
import { useSlice, useSounding } from "./voices";

/** What is recorded: the line input, the pocket's own sound, or a demo record. */
export type Input = "line" | "pocket" | "deck";
const RETRY_MS = 700;
const DECK_CHUNKS = 24;

interface Recorder {
  input: Input | null;
  /** Largest sample of the last block, 0 to 1 and over. */
  peak: number;
  recording: boolean;
  seconds: number;
  problem: string | null;
  /** Seconds of takes that have ended and are not yet finds. */
  left: number;
}

export const useRecorder = create<Recorder>(() => ({
  input: null,
  peak: 0,
  recording: false,
  seconds: 0,
  problem: null,
  left: 0,
}));
const set = useRecorder.setState;

interface Message {
  samples: Float32Array<ArrayBuffer>;
  peak: number;
  last: boolean;
}

/** full: no more can be added; seconds: how much there is. */
interface Take {
  pocket: string;
  id: string;
  full: boolean;
  seconds: number;
  /** What sounded meanwhile, of the pocket's own sound. */
  heard: Heard | null;
}

interface Heard {
  pads: Set<number>;
  patterns: Set<string>;
  audio: Set<string>;
}

class LineRecorder {
  private node: AudioWorkletNode | null = null;
  private from: AudioNode | null = null;
  private stream: MediaStream | null = null;
  private deck: AudioBufferSourceNode | null = null;
  private take: Take | null = null;
  private ended: Take[] = [];
  /** Takes that are being ended and brought in, or are finds by now: no need to offer them. */
  private readonly inHand = new Set<string>();
  private sending: Promise<void> = Promise.resolve();
  private flushed: (() => void) | null = null;

  /** Listen to an input, for its level, without recording yet. deck: the find that the deck plays. */
  async open(input: Input, deck: { hash: string; frames: number } | null): Promise<void> {
    this.close();
    wake();
    try {
      await worklet(workletUrl);
      const node = new AudioWorkletNode(audio(), "grain-recorder", {
        numberOfOutputs: 0,
        channelCount: 2,
        channelCountMode: "explicit",
      });
      node.port.onmessage = (event: MessageEvent<Message>) => this.hear(event.data);
      if (input === "line") {
        // As it is: what is meant for speech would eat the music.
        const constraints = {
          echoCancellation: false,
          noiseSuppression: false,
          autoGainControl: false,
          channelCount: 2,
        };
        this.stream = await navigator.mediaDevices.getUserMedia({ audio: constraints });
        this.from = audio().createMediaStreamSource(this.stream);
      } else if (input === "pocket") this.from = straight();
      else if (deck) {
        this.deck = await this.load(deck.hash, deck.frames);
        this.deck.connect(output());
        this.from = this.deck;
      }
      this.from?.connect(node);
      this.node = node;
      this.deck?.start();
      set({ input, problem: null, peak: 0 });
    } catch (error) {
      this.close();
      const denied =
        error instanceof DOMException && (error.name === "NotAllowedError" || error.name === "NotFoundError");
      set({
        problem: denied
          ? "The browser gives no line input. Allow it in the address bar, or use the deck."
          : "The input could not be opened. Nothing was recorded.",
      });
    }
  }

  private async load(hash: string, frames: number): Promise<AudioBufferSourceNode> {
    const count = Math.min(DECK_CHUNKS, Math.ceil(frames / CHUNK));
    const chunks = await Promise.all(Array.from({ length: count }, (_, i) => pcm(`/api/audio/${hash}/pcm/${i}`)));
    const length = chunks.reduce((sum, [left]) => sum + left.length, 0);
    const buffer = audio().createBuffer(2, length, audio().sampleRate);
    let at = 0;
    for (const [left, right] of chunks) {
      buffer.copyToChannel(left, 0, at);
      buffer.copyToChannel(right, 1, at);
      at += left.length;
    }
    const source = audio().createBufferSource();
    source.buffer = buffer;
    source.loop = true;
    return source;
  }

  close(): void {
    if (this.from && this.node) this.from.disconnect(this.node);
    if (this.node) {
      this.node.port.onmessage = null;
      this.node.port.postMessage("end");
    }
    if (this.deck) this.deck.disconnect();
    this.deck?.stop();
    for (const track of this.stream?.getTracks() ?? []) track.stop();
    this.node = null;
    this.from = null;
    this.stream = null;
    this.deck = null;
    set({ input: null, peak: 0 });
  }

  async start(pocket: string, name: string): Promise<void> {
    if (!this.node) return;
    try {
      const take = await ask(
        api.POST("/api/pockets/{pocket}/takes", {
          params: { path: { pocket } },
          body: { name, rate: audio().sampleRate },
        }),
      );
      this.take = { pocket, id: take.id, full: false, seconds: 0, heard: null };
      if (useRecorder.getState().input === "pocket") this.note(this.take);
      set({ recording: true, seconds: 0, problem: null });
    } catch (error) {
      set({ problem: error instanceof Error ? error.message : "Recording could not begin." });
    }
  }

  private stopNoting: (() => void) | null = null;

  /** Write down what sounds while it is recorded: the records in it are to be known afterwards. */
  private note(take: Take): void {
    const heard: Heard = { pads: new Set(), patterns: new Set(), audio: new Set() };
    take.heard = heard;
    const look = () => {
      for (const pad of Object.keys(useSounding.getState().sounding)) heard.pads.add(Number(pad));
      const pattern = useLoop.getState().playing ? loopPlayer.loop()?.pattern : null;
      if (pattern) heard.patterns.add(pattern);
      for (const hash of [useTape.getState().playing, usePreview.getState().preview?.hash, useSlice.getState().slice])
        if (hash && hash !== "tone") heard.audio.add(hash);
    };
    const stops = [
      useSounding.subscribe(look),
      useLoop.subscribe(look),
      useTape.subscribe(look),
      usePreview.subscribe(look),
      useSlice.subscribe(look),
    ];
    look();
    this.stopNoting = () => stops.forEach((stop) => stop());
  }

  /** End the take: it becomes a find. Resolves to whether it did. */
  async stop(): Promise<boolean> {
    const take = this.take;
    if (!take) return false;
    const { node } = this;
    if (node)
      await new Promise<void>((done) => {
        this.flushed = done;
        node.port.postMessage("rest");
      });
    this.take = null;
    this.stopNoting?.();
    this.stopNoting = null;
    this.inHand.add(take.id);
    const seconds = useRecorder.getState().seconds;
    set({ recording: false });
    await this.sending;
    this.ended.push({ ...take, seconds });
    return this.bringIn();
  }

  /** Make what has ended finds, at once or when it could not be done before. Resolves to whether all of it is. */
  async bringIn(): Promise<boolean> {
    const takes = this.ended.splice(0);
    let problem: string | null = null;
    for (const take of takes) this.inHand.add(take.id);
    for (const take of takes) {
      try {
        await ask(
          api.POST("/api/pockets/{pocket}/takes/{take}/end", {
            params: { path: { pocket: take.pocket, take: take.id }, query: heardIn(take) },
          }),
        );
      } catch (error) {
        this.inHand.delete(take.id);
        this.ended.push(take);
        problem = error instanceof Error ? error.message : "What was recorded is kept, and not yet among the finds.";
      }
    }
    this.tell();
    set({ problem });
    return problem === null;
  }

  /** Ask the server for what was recorded before this page was loaded and never brought in. */
  async findLeft(pocket: string): Promise<void> {
    this.ended = this.ended.filter((take) => take.pocket === pocket);
    try {
      const { takes } = await ask(api.GET("/api/pockets/{pocket}/takes", { params: { path: { pocket } } }));
      const known = new Set([...this.ended.map((take) => take.id), ...this.inHand, this.take?.id]);
      this.ended.push(
        ...takes
          .filter((take) => !known.has(take.id))
          .map((take) => ({ pocket, id: take.id, full: true, seconds: take.seconds, heard: null })),
      );
    } catch {
      // It is only an offer; the server brings them in when it starts again.
    }
    this.tell();
  }

  private tell(): void {
    set({ left: this.ended.reduce((sum, take) => sum + take.seconds, 0) });
  }

  private hear({ samples, peak, last }: Message): void {
    set({ peak });
    const take = this.take;
    if (take && samples.length) {
      set({ seconds: useRecorder.getState().seconds + samples.length / 2 / audio().sampleRate });
      this.sending = this.sending.then(() => this.send(take, samples));
    }
    if (last) this.flushed?.();
  }

  private async send(take: Take, block: Float32Array<ArrayBuffer>): Promise<void> {
    if (take.full) return;
    for (;;) {
      const response = await fetch(`/api/pockets/${take.pocket}/takes/${take.id}/blocks`, {
        method: "POST",
        body: block,
      }).catch(() => null);
      if (response?.ok) return;
      if (response && response.status !== 502) {
        const problem = (await response.json().catch(() => null)) as { message?: string } | null;
        set({ problem: problem?.message ?? "The recording could not go on. What came before is kept." });
        take.full = true;
        return;
      }
      await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
    }
  }
}

/** Pads, patterns and finds by id, as the server knows them. */
function heardIn(take: Take): { pads?: number[]; patterns?: string[]; sources?: string[] } {
  if (!take.heard) return {};
  const sources = Object.values(usePocket.getState().open?.pocket.sources ?? {});
  const heard = take.heard.audio;
  return {
    pads: [...take.heard.pads],
    patterns: [...take.heard.patterns],
    sources: sources.filter((source) => heard.has(source.audio)).map((source) => source.id),
  };
}

export const recorder = new LineRecorder();
