/** A pad across the keys: a voice for every note, fetched ahead from the root outwards, and started as pads are. */
import { create } from "zustand";

import { api, ask } from "../api/client";
import type { FullSound, KeysReply } from "../api/types";
import { slot, voices } from "./voices";

const REACH = 24;
const NEAR = 2;

/** Notes that are down now, by pad. */
export const useNotes = create<{ down: Set<number>; here: number; all: number }>(() => ({
  down: new Set(),
  here: 0,
  all: 0,
}));

class Instrument {
  private pad = -1;
  private sound = "";
  private keys: KeysReply | null = null;
  private settings: FullSound | null = null;
  private held: number[] = [];
  /** Whether the last round fetched all notes. */
  private through = false;
  /** Each time that it is prepared anew; what was begun before stops. */
  private round = 0;

  /** Know a pad's voices at all notes; key: names its sound as it is now; ahead: whether they are fetched before they are played. */
  async prepare(pocket: string, pad: number, key: string, settings: FullSound, ahead: () => boolean): Promise<void> {
    this.settings = settings;
    if (pad === this.pad && key === this.sound && this.through === ahead()) return;
    this.through = ahead();
    const round = ++this.round;
    this.pad = pad;
    this.sound = key;
    const keys = await ask(
      api.GET("/api/pockets/{pocket}/pads/{pad}/keys", {
        params: { path: { pocket, pad }, query: { low: -REACH - 12, high: REACH + 12 } },
      }),
    );
    if (this.round !== round) return;
    this.keys = keys;
    const notes = Object.keys(keys.notes)
      .map(Number)
      .filter((note) => Math.abs(note) <= REACH);
    notes.sort((a, b) => Math.abs(a) - Math.abs(b));
    useNotes.setState({ here: 0, all: notes.length });
    for (const note of notes) {
      // Beyond those about its root only what is about to be played is rendered.
      if (this.round !== round || (Math.abs(note) > NEAR && !ahead())) return;
      const voice = keys.notes[note];
      if (voice) await voices.have(voice.key).catch(() => undefined);
      if (this.round === round) useNotes.setState((s) => ({ here: s.here + 1 }));
    }
  }

  press(pad: number, note: number, velocity: number): void {
    const voice = pad === this.pad ? this.keys?.notes[note] : undefined;
    if (!voice || !this.settings) return;
    const before = this.one();
    this.held.push(note);
    if (this.settings.voices === "poly") {
      voices.strike(voice.key, slot(note), pad, this.settings, velocity, null);
      const most = Math.round(this.settings.most_voices);
      if (this.held.length > most) voices.letGo(slot(this.held.shift() as number), 132);
    } else if (this.one() === note) {
      // One voice, and it is this note's turn: with "highest" or "lowest" another that is held may keep it.
      if (before !== undefined) voices.letGo(slot(before), 132);
      const glide =
        before !== undefined && this.settings.glide > 0
          ? { cents: (before - note) * 100, seconds: this.settings.glide / 1000 }
          : null;
      voices.strike(voice.key, slot(note), pad, this.settings, velocity, glide);
    }
    this.show();
  }

  release(_pad: number, note: number): void {
    const sounded = this.one();
    this.held = this.held.filter((one) => one !== note);
    const voice = this.keys?.notes[note];
    if (this.settings?.play !== "one-shot") voices.letGo(slot(note), voice?.release ?? 529);
    const next = this.one();
    // One voice goes back to what is still held.
    if (this.settings && sounded === note && next !== undefined && this.keys?.notes[next])
      voices.strike(this.keys.notes[next].key, slot(next), this.pad, this.settings, 110, null);
    this.show();
  }

  /** Of a sound with one voice the note that has it, of those that are held; undefined where each has its own. */
  private one(): number | undefined {
    const how = this.settings?.voices ?? "poly";
    if (how === "poly" || !this.held.length) return undefined;
    if (how === "high") return Math.max(...this.held);
    return how === "low" ? Math.min(...this.held) : this.held.at(-1);
  }

  private show(): void {
    useNotes.setState({ down: new Set(this.held) });
  }
}

export const instrument = new Instrument();
