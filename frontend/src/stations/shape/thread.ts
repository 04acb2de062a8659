/** The envelope as a thread over the wave: where its beads lie, and what dragging one means. Pure, in ms and shares. */
import type { FullSound } from "../../api/types";

export const SILENCE_DB = -60;
export type Bead = "attack" | "hold" | "decay" | "release";
export interface Point {
  ms: number;
  /** 0 silent, 1 full. */
  level: number;
}

export function sustainLevel(sound: FullSound): number {
  return sound.sustain <= SILENCE_DB ? 0 : 10 ** (sound.sustain / 20);
}

/** The points of the thread up to `end` (ms), where it is let go of. */
export function threadOf(sound: FullSound, end: number): Record<"start" | Bead | "let", Point> {
  const low = sustainLevel(sound);
  const attack = sound.attack;
  const hold = attack + sound.hold;
  const decay = hold + sound.decay;
  const let_ = Math.max(decay, end - Math.min(sound.release, end * 0.3));
  return {
    start: { ms: 0, level: attack > 0 ? 0 : 1 },
    attack: { ms: attack, level: 1 },
    hold: { ms: hold, level: 1 },
    decay: { ms: decay, level: low },
    let: { ms: let_, level: low },
    release: { ms: Math.max(let_, end), level: 0 },
  };
}

/** The settings after a bead was moved to a place. */
export function moved(sound: FullSound, bead: Bead, ms: number, level: number): Partial<FullSound> {
  if (bead === "attack") return { attack: clamp(ms, 0, 10_000) };
  if (bead === "hold") return { hold: clamp(ms - sound.attack, 0, 10_000) };
  if (bead === "decay") {
    const db = level <= 0.001 ? SILENCE_DB : 20 * Math.log10(Math.min(1, level));
    return {
      decay: clamp(ms - sound.attack - sound.hold, 0, 20_000),
      sustain: clamp(Math.round(db * 2) / 2, SILENCE_DB, 0),
    };
  }
  return { release: clamp(sound.release + ms, 1, 10_000) };
}

export function touched(sound: FullSound): boolean {
  return sound.attack > 0 || sound.hold > 0 || sound.decay > 0 || sound.sustain < 0;
}

function clamp(value: number, low: number, high: number): number {
  return Math.round(Math.min(high, Math.max(low, value)) * 10) / 10;
}
