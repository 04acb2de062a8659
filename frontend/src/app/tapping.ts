/** Taps on the pocket's tempo, sent together: the core says what they make. */
import { newGesture } from "../design/NumberField";
import { edit } from "./edits";

const PAUSE_MS = 2200;
const LEAST = 4;
const MOST = 16;
let taps: number[] = [];
let gesture = "";

/** at: on the clock of performance.now(). From the fourth on they make the tempo. */
export function tapPocket(at: number): void {
  if (!taps.length || at - (taps.at(-1) as number) > PAUSE_MS) {
    taps = [];
    gesture = newGesture();
  }
  taps = [...taps.slice(1 - MOST), at];
  if (taps.length >= LEAST) void edit({ type: "tap_pocket", at: taps.map((tap) => tap / 1000) }, gesture);
}
