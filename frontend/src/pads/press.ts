/** A pad goes down or up, by key, pointer or controller: one path for all. */
import { cutLive } from "../app/chopping";
import { tapDelay } from "../app/latency";
import { takePress, takeRelease } from "../app/taking";
import { useView } from "../app/view";
import { voices } from "../audio/voices";

/** With full velocity on, every press is as hard as can be. */
export function asPlayed(velocity: number): number {
  return useView.getState().fullVelocity ? 127 : velocity;
}

/** velocity: 1 to 127; at: when it happened, on the clock of performance.now(). */
export function pressPad(pad: number, velocity = 127, at = performance.now()): void {
  if (tapDelay(at) || cutLive(pad, at)) return;
  const hard = asPlayed(velocity);
  voices.press(pad, hard);
  takePress(pad, hard, at);
}

export function releasePad(pad: number): void {
  voices.release(pad);
  takeRelease(pad);
}
