import type { Sounds } from "../../api/types";

/** The pads on a bus, as the core routes them. */
export function padsOn(sounds: Sounds | null, bus: string): number[] {
  return Object.entries(sounds?.voices ?? {})
    .filter(([, voice]) => voice.bus === bus)
    .map(([index]) => Number(index))
    .sort((a, b) => a - b);
}
