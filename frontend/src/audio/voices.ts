/** Pads under the hand: rendered voices, held ready, started at once. */
import { create } from "zustand";

import { pcm } from "../api/client";
import type { About, FullSound, Pad, Sounds } from "../api/types";
import { soundOf } from "../app/sounds";
import { audio, mark, wake } from "./engine";
import { Stroke } from "./stroke";

const REST_MS = 900;
const LONG_REST_MS = 3000;
/** Where what sounds belongs to no pad. */
const NOTHING = -1;
/** Voices of one pad across the keys. */
const MOST_KEPT = 128;

/** What sounds under a number while a hand moves its settings; rendered: through its bus; over: the edit is written down, its own
 * voice is on its way. */
interface Lent {
  slot: number;
  pad: number;
  buffer: AudioBuffer;
  rendered: boolean;
  over: boolean;
}

/** Struck before its voice was here; what is let go meanwhile is not begun at all. */
interface Waiting {
  slot: number;
  held: boolean;
}

/** Pads that sound now, how often each was hit, so that a card can light up again, and the note that each was struck at last. */
export const useSounding = create<{ sounding: Record<number, number>; notes: Record<number, number> }>(() => ({
  sounding: {},
  notes: {},
}));

/** The stretch of a find that was struck up and sounds, by its audio; or a reference tone. */
export const useSlice = create<{ slice: string | null }>(() => ({ slice: null }));

/** What the core makes of a velocity: a level, and which of the voices from soft to hard. */
const hardness = { gains: [] as number[], places: [] as number[] };

export function learnVelocities(about: Pick<About, "velocity_gains" | "velocity_places">): void {
  Object.assign(hardness, { gains: about.velocity_gains, places: about.velocity_places });
}

class Voices {
  private buffers = new Map<string, AudioBuffer>();
  private fetching = new Map<string, Promise<AudioBuffer>>();
  private known: Sounds | null = null;
  private pads: Record<string, Pad> = {};
  private playing = new Map<number, Set<Stroke>>();
  private waiting = new Set<Waiting>();
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
    this.fetchOwn();
    window.clearTimeout(this.resting);
    this.resting = window.setTimeout(
      () => void this.fetchThrough(sounds, page),
      this.struck.size ? REST_MS : LONG_REST_MS,
    );
  }

  private resting = 0;
  /** Pads that were played since the page was opened, the last one last: how they sound through their buses is wanted first. */
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
          const buffer = stereo(left, right);
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
    this.struck.delete(pad);
    this.struck.add(pad);
    const voice = this.known?.voices[pad];
    const settings = this.pads[pad];
    if (!voice || !settings) return;
    const lent = this.lentTo(pad, voice.key, voice.through ?? null);
    const key = this.variant(pad, voice.variants, velocity) ?? voice.key;
    const buffer = this.buffers.get(key);
    const through = voice.through ? this.buffers.get(voice.through) : undefined;
    const sound = soundOf(settings.sound);
    if (sound.voices !== "poly") this.letGo(pad, this.known?.live.choke ?? 132);
    if (lent) this.start(lent.buffer, pad, pad, settings, velocity, lent.rendered);
    else if (through && key === voice.key) this.start(through, pad, pad, settings, velocity, true);
    else if (buffer) this.start(buffer, pad, pad, settings, velocity);
    else
      this.late(this.fetch(key, `/api/sound/${key}`), pad, sound, (buffer) =>
        this.start(buffer, pad, pad, settings, velocity),
      );
  }

  /** Begin once the voice is here, unless it was let go before that. */
  private late(
    coming: Promise<AudioBuffer>,
    slot: number,
    sound: FullSound,
    begin: (buffer: AudioBuffer) => void,
  ): void {
    const one = { slot, held: sound.play !== "one-shot" };
    this.waiting.add(one);
    void coming
      .then((buffer) => {
        if (this.waiting.has(one)) begin(buffer);
      })
      .catch(() => undefined)
      .finally(() => this.waiting.delete(one));
  }

  /** The voice of this stroke, of a pad that does not always sound the same. */
  private variant(pad: number, rows: string[][], velocity: number): string | undefined {
    if (!rows.length) return undefined;
    const turn = this.turns.get(pad) ?? 0;
    this.turns.set(pad, turn + 1);
    const row = rows[turn % rows.length] as string[];
    return row.length > 1 ? row[hardness.places[velocity] ?? row.length - 1] : row[0];
  }

  private kept = new Set<string>();

  /** Fetch a voice, and keep it until another sound is played across the keys. */
  async have(key: string): Promise<AudioBuffer> {
    this.kept.add(key);
    if (this.kept.size > MOST_KEPT) this.kept.delete(this.kept.values().next().value as string);
    return this.fetch(key, `/api/sound/${key}`);
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
    const here = this.lentTo(slot, key, null)?.buffer ?? this.buffers.get(key);
    if (here) begin(here);
    else this.late(this.have(key), slot, sound, begin);
  }

  /** End what sounds under a number, with a fade of so many samples. */
  letGo(slot: number, frames: number): void {
    for (const one of this.waiting) if (one.slot === slot) this.waiting.delete(one);
    for (const stroke of this.playing.get(slot) ?? []) stroke.fade(frames);
  }

  private lent: Lent | null = null;

  /** From now on a pad, or a note of it, sounds so, what sounds of it already too: until the edit of the same settings is here. */
  lend(
    slot: number,
    pad: number,
    left: Float32Array<ArrayBuffer>,
    right: Float32Array<ArrayBuffer>,
    rendered: boolean,
  ): void {
    const buffer = stereo(left, right);
    this.lent = { slot, pad, buffer, rendered, over: false };
    mark("tried");
    for (const stroke of [...(this.playing.get(slot) ?? [])]) {
      if (stroke.ended) continue;
      const next = stroke.givesWay(buffer, rendered, this.over);
      if (next) this.playing.get(slot)?.add(next);
    }
  }

  takeBack(): void {
    if (this.lent) this.lent.over = true;
    this.fetchOwn();
  }

  /** What a pad was lent through its bus is wanted as its own, without waiting for a rest. */
  private fetchOwn(): void {
    const own = () => this.lent?.over && this.lent.rendered && this.known?.voices[this.lent.pad]?.through;
    const through = own();
    if (!through) return;
    void this.fetch(through, `/api/sound/${through}`)
      .then(() => {
        if (own() === through) this.lent = null;
      })
      .catch(() => undefined);
  }

  private lentTo(slot: number, key: string, through: string | null): Lent | null {
    if (this.lent?.slot !== slot) return null;
    const wanted = this.lent.rendered ? (through ?? key) : key;
    if (this.lent.over && this.buffers.has(wanted)) this.lent = null;
    return this.lent;
  }

  /** Whether the sound of a pad through its bus and the master is another than its voice. */
  hasBus(pad: number): boolean {
    return Boolean(this.known?.voices[pad]?.through);
  }

  /** Let a pad go: a held one ends with a short fade, a one-shot rings on. */
  release(pad: number): void {
    for (const one of this.waiting) if (one.slot === pad && one.held) this.waiting.delete(one);
    for (const stroke of this.playing.get(pad) ?? [])
      if (stroke.of.held) stroke.fade(this.known?.voices[pad]?.release ?? 529);
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
    const { choke } = settings;
    if (choke) {
      const together = (this.known?.live.together ?? 882) / audio().sampleRate;
      for (const others of this.playing.values())
        for (const other of others)
          if (other.of.choke === choke && audio().currentTime - other.began > together)
            other.fade(this.known?.live.choke ?? 132);
    }
    const held = soundOf(settings.sound).play !== "one-shot";
    const stroke = new Stroke(
      buffer,
      { slot, pad, choke, held, level: hardness.gains[velocity] ?? 1, rendered },
      this.over,
    );
    mark("voice start");
    const mine = this.playing.get(slot) ?? new Set();
    mine.add(stroke);
    this.playing.set(slot, mine);
    useSounding.setState((s) => ({
      sounding: { ...s.sounding, [pad]: (s.sounding[pad] ?? 0) + 1 },
      notes: { ...s.notes, [pad]: slot === pad ? 0 : noteOf(slot) },
    }));
    return stroke.source;
  }

  private over = (stroke: Stroke): void => {
    const { slot, pad } = stroke.of;
    const mine = this.playing.get(slot);
    mine?.delete(stroke);
    if (mine?.size) return;
    useSounding.setState((s) => {
      const rest = { ...s.sounding };
      delete rest[pad];
      return { sounding: rest };
    });
  };

  /** The one of these pads that is listened to: that sounds, else was struck last, else the first. */
  underHand(pads: number[]): number | undefined {
    const { sounding } = useSounding.getState();
    const order = [...this.struck].reverse().filter((pad) => pads.includes(pad));
    return order.find((pad) => sounding[pad]) ?? order[0] ?? pads[0];
  }

  /** Whether any pad sounds. */
  sounds(): boolean {
    return [...this.playing.values()].some((strokes) => [...strokes].some((stroke) => !stroke.ended));
  }

  silence(): void {
    this.waiting.clear();
    for (const strokes of this.playing.values()) for (const stroke of strokes) stroke.fade(441);
    this.stopSlice();
  }

  private slices = new Map<string, string>();
  private slice: Stroke | null = null;

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
    this.slice = new Stroke(
      buffer,
      { slot: NOTHING, pad: NOTHING, choke: 0, held: false, level: 1, rendered: false },
      (stroke) => {
        if (this.slice !== stroke) return;
        this.slice = null;
        useSlice.setState({ slice: null });
      },
    );
    mark("slice start");
    useSlice.setState({ slice: what });
  }

  stopSlice(): void {
    this.slice?.fade(132);
    this.slice = null;
    if (useSlice.getState().slice) useSlice.setState({ slice: null });
  }

  /** How many of the pads' voices are here, for tests: [here, all]. */
  ready(): [number, number] {
    const all = Object.values(this.known?.voices ?? {});
    return [all.filter((voice) => this.buffers.has(voice.key)).length, all.length];
  }
}

/** Notes across the keys sound beside the pads, under numbers that no pad has. */
export function slot(note: number): number {
  return -1000 - note;
}

function stereo(left: Float32Array<ArrayBuffer>, right: Float32Array<ArrayBuffer>): AudioBuffer {
  const buffer = audio().createBuffer(2, Math.max(1, left.length), audio().sampleRate);
  buffer.copyToChannel(left, 0);
  buffer.copyToChannel(right, 1);
  return buffer;
}

function noteOf(slot: number): number {
  return -1000 - slot;
}

export const voices = new Voices();
