/** Pads under the hand: rendered voices, held ready, started at once. */
import { create } from "zustand";

import { pcm } from "../api/client";
import type { FullSound, Pad, Sounds } from "../api/types";
import { soundOf } from "../app/sounds";
import { audio, mark, output, straight, wake } from "./engine";

const REST_MS = 900;
const LONG_REST_MS = 3000;
/** Voices of one pad across the keys. */
const MOST_KEPT = 128;

interface Sounding {
  source: AudioBufferSourceNode;
  gain: GainNode;
  choke: number;
  began: number;
  held: boolean;
  ended: boolean;
}

/** Pads that sound now, and how often each was hit, so that a card can light up again. */
export const useSounding = create<{ sounding: Record<number, number> }>(() => ({ sounding: {} }));

/** The stretch of a find that was struck up and sounds, by its audio; or a reference tone. */
export const useSlice = create<{ slice: string | null }>(() => ({ slice: null }));

class Voices {
  private buffers = new Map<string, AudioBuffer>();
  private fetching = new Map<string, Promise<AudioBuffer>>();
  private known: Sounds | null = null;
  private pads: Record<string, Pad> = {};
  private playing = new Map<number, Set<Sounding>>();
  /** How often each pad was struck, for what takes turns. */
  private turns = new Map<number, number>();

  /** Know what the pads sound like now, and fetch what is missing, the page in view first. */
  update(sounds: Sounds, pads: Record<string, Pad>, page: number): void {
    this.known = sounds;
    this.pads = pads;
    const wanted = Object.entries(sounds.voices).sort(([a], [b]) => this.distance(a, page) - this.distance(b, page));
    const keys = new Set(
      wanted.flatMap(([, voice]) => [voice.key, ...(voice.through ? [voice.through] : []), ...voice.variants.flat()]),
    );
    for (const key of this.kept) keys.add(key);
    for (const key of this.buffers.keys()) if (!keys.has(key) && !this.slices.has(key)) this.buffers.delete(key);
    for (const [, voice] of wanted)
      for (const key of [voice.key, ...voice.variants.flat()])
        void this.fetch(key, `/api/sound/${key}`).catch(() => undefined);
    window.clearTimeout(this.resting);
    this.resting = window.setTimeout(
      () => void this.fetchThrough(sounds, page),
      this.struck.size ? REST_MS : LONG_REST_MS,
    );
  }

  private resting = 0;
  /** Pads that were played since the page was opened: how they sound through their buses is wanted first. */
  private struck = new Set<number>();
  /** Whether something plays that is rendered as it is heard; told by the house. */
  busy: () => boolean = () => false;

  /** Once the hand rests, the pads in view as they sound through their buses; until each is here, its bare voice sounds. */
  private async fetchThrough(sounds: Sounds, page: number): Promise<void> {
    // Those that were played first.
    const order = Object.entries(sounds.voices).sort(
      ([a], [b]) => Number(this.struck.has(Number(b))) - Number(this.struck.has(Number(a))),
    );
    for (const [pad, voice] of order) {
      // What plays comes first: it is rendered in the same place.
      while (this.busy() && this.known === sounds) await new Promise((resolve) => setTimeout(resolve, REST_MS));
      if (this.known !== sounds) return;
      if (voice.through && this.distance(pad, page) === 0)
        await this.fetch(voice.through, `/api/sound/${voice.through}`).catch(() => undefined);
    }
  }

  private distance(pad: string, page: number): number {
    return Math.abs(Math.floor(Number(pad) / 16) - page);
  }

  private fetch(key: string, url: string): Promise<AudioBuffer> {
    const there = this.buffers.get(key);
    if (there) return Promise.resolve(there);
    let coming = this.fetching.get(key);
    if (!coming) {
      coming = pcm(url)
        .then(([left, right]) => {
          const buffer = audio().createBuffer(2, Math.max(1, left.length), audio().sampleRate);
          buffer.copyToChannel(left, 0);
          buffer.copyToChannel(right, 1);
          this.buffers.set(key, buffer);
          return buffer;
        })
        .finally(() => this.fetching.delete(key));
      this.fetching.set(key, coming);
    }
    return coming;
  }

  /** Sound a pad. velocity: 1 to 127. */
  press(pad: number, velocity = 127): void {
    wake();
    mark("key down");
    this.struck.add(pad);
    const voice = this.known?.voices[pad];
    const settings = this.pads[pad];
    if (!voice || !settings) return;
    const key = this.variant(pad, voice.variants, velocity) ?? voice.key;
    const buffer = this.buffers.get(key);
    const through = voice.through ? this.buffers.get(voice.through) : undefined;
    const sound = soundOf(settings.sound);
    if (sound.voices !== "poly") this.letGo(pad, this.known?.live.choke ?? 132);
    if (through && key === voice.key) this.start(through, pad, pad, settings, velocity, true);
    else if (buffer) this.start(buffer, pad, pad, settings, velocity);
    else
      void this.fetch(key, `/api/sound/${key}`)
        .then((late) => this.start(late, pad, pad, settings, velocity))
        .catch(() => undefined);
  }

  /** The voice of this stroke, of a pad that does not always sound the same. */
  private variant(pad: number, rows: string[][], velocity: number): string | undefined {
    if (!rows.length) return undefined;
    const turn = this.turns.get(pad) ?? 0;
    this.turns.set(pad, turn + 1);
    const row = rows[turn % rows.length] as string[];
    return row[Math.min(row.length - 1, Math.max(0, Math.ceil((velocity * row.length) / 128) - 1))];
  }

  private kept = new Set<string>();

  /** Fetch a voice, and keep it until another sound is played across the keys. */
  async have(key: string): Promise<void> {
    this.kept.add(key);
    if (this.kept.size > MOST_KEPT) this.kept.delete(this.kept.values().next().value as string);
    await this.fetch(key, `/api/sound/${key}`);
  }

  /** Sound a voice of a pad under a number of its own. glide: from so many cents off, in so many seconds. */
  strike(
    key: string,
    slot: number,
    pad: number,
    sound: FullSound,
    velocity: number,
    glide: { cents: number; seconds: number } | null,
  ): void {
    wake();
    mark("key down");
    const settings = this.pads[pad];
    if (!settings) return;
    const begin = (buffer: AudioBuffer) => {
      const source = this.start(buffer, slot, pad, { ...settings, sound: { ...sound } }, velocity);
      if (!glide) return;
      source.detune.setValueAtTime(glide.cents, audio().currentTime);
      source.detune.linearRampToValueAtTime(0, audio().currentTime + glide.seconds);
    };
    const here = this.buffers.get(key);
    if (here) begin(here);
    else
      void this.have(key)
        .then(() => begin(this.buffers.get(key) as AudioBuffer))
        .catch(() => undefined);
  }

  /** End what sounds under a number, with a fade of so many samples. */
  letGo(slot: number, frames: number): void {
    for (const sound of this.playing.get(slot) ?? []) this.fade(sound, frames);
  }

  /** Let a pad go: a held one ends with a short fade, a one-shot rings on. */
  release(pad: number): void {
    for (const sound of this.playing.get(pad) ?? [])
      if (sound.held) this.fade(sound, this.known?.voices[pad]?.release ?? 529);
  }

  /** rendered: to the end, with the master in it. */
  private start(
    buffer: AudioBuffer,
    slot: number,
    pad: number,
    settings: Pad,
    velocity: number,
    rendered = false,
  ): AudioBufferSourceNode {
    const context = audio();
    if (settings.choke) {
      const together = (this.known?.live.together ?? 882) / context.sampleRate;
      for (const others of this.playing.values())
        for (const other of others)
          if (other.choke === settings.choke && context.currentTime - other.began > together)
            this.fade(other, this.known?.live.choke ?? 132);
    }
    const source = context.createBufferSource();
    const gain = context.createGain();
    source.buffer = buffer;
    gain.gain.value = (velocity / 127) ** 2;
    source.connect(gain).connect(rendered ? straight() : output());
    source.start();
    mark("voice start");
    const sound: Sounding = {
      source,
      gain,
      choke: settings.choke,
      began: context.currentTime,
      held: soundOf(settings.sound).play !== "one-shot",
      ended: false,
    };
    const mine = this.playing.get(slot) ?? new Set();
    mine.add(sound);
    this.playing.set(slot, mine);
    useSounding.setState((s) => ({ sounding: { ...s.sounding, [pad]: (s.sounding[pad] ?? 0) + 1 } }));
    source.onended = () => {
      mine.delete(sound);
      gain.disconnect();
      if (mine.size) return;
      useSounding.setState((s) => {
        const rest = { ...s.sounding };
        delete rest[pad];
        return { sounding: rest };
      });
    };
    return source;
  }

  private fade(sound: Sounding, frames: number): void {
    if (sound.ended) return;
    sound.ended = true;
    const now = audio().currentTime;
    const end = now + frames / audio().sampleRate;
    sound.gain.gain.setValueAtTime(sound.gain.gain.value, now);
    sound.gain.gain.linearRampToValueAtTime(0, end);
    sound.source.stop(end);
  }

  /** Whether any pad sounds. */
  sounds(): boolean {
    return [...this.playing.values()].some((sounds) => [...sounds].some((sound) => !sound.ended));
  }

  silence(): void {
    for (const sounds of this.playing.values()) for (const sound of sounds) this.fade(sound, 441);
    this.stopSlice();
  }

  private slices = new Map<string, string>();
  private slice: Sounding | null = null;

  /** Sound a reference tone, in place of a slice that sounds. */
  async reference(url: string): Promise<void> {
    await this.one(url, "tone");
  }

  /** Sound a stretch of a source as a fresh pad would. */
  async audition(hash: string, start: number, end: number, level: number): Promise<void> {
    await this.one(`/api/audio/${hash}/slice/${start}/${end}?level=${level}`, hash);
  }

  private async one(url: string, what: string): Promise<void> {
    wake();
    this.slices.set(url, url);
    if (this.slices.size > 64) {
      const oldest = this.slices.keys().next().value as string;
      this.slices.delete(oldest);
      this.buffers.delete(oldest);
    }
    const buffer = await this.fetch(url, url);
    this.stopSlice();
    const source = audio().createBufferSource();
    const gain = audio().createGain();
    source.buffer = buffer;
    source.connect(gain).connect(output());
    source.start();
    mark("slice start");
    const sound: Sounding = { source, gain, choke: 0, began: audio().currentTime, held: false, ended: false };
    this.slice = sound;
    useSlice.setState({ slice: what });
    source.onended = () => {
      gain.disconnect();
      if (this.slice !== sound) return;
      this.slice = null;
      useSlice.setState({ slice: null });
    };
  }

  stopSlice(): void {
    if (this.slice) this.fade(this.slice, 132);
    this.slice = null;
    if (useSlice.getState().slice) useSlice.setState({ slice: null });
  }

  /** How many of the pads' voices are here, for tests: [here, all]. */
  ready(): [number, number] {
    const all = Object.values(this.known?.voices ?? {});
    return [all.filter((voice) => this.buffers.has(voice.key)).length, all.length];
  }
}

export const voices = new Voices();
