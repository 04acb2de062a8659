/** A pad goes down or up, by key, pointer or controller: one path for all. */
import { cutLive } from "../app/chopping";
import { voices } from "../audio/voices";

/** velocity: 1 to 127; at: when it happened, on the clock of performance.now(). */
export function pressPad(pad: number, velocity = 127, at = performance.now()): void {
  if (!cutLive(pad, at)) voices.press(pad, velocity);
}

export function releasePad(pad: number): void {
  voices.release(pad);
}
