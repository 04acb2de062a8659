/** A pad goes down or up, by key, pointer or controller: one path for all. */
import { cutLive } from "../app/chopping";
import { takePress, takeRelease } from "../app/taking";
import { voices } from "../audio/voices";

/** velocity: 1 to 127; at: when it happened, on the clock of performance.now(). */
export function pressPad(pad: number, velocity = 127, at = performance.now()): void {
  if (cutLive(pad, at)) return;
  voices.press(pad, velocity);
  takePress(pad, velocity, at);
}

export function releasePad(pad: number): void {
  voices.release(pad);
  takeRelease(pad);
}
