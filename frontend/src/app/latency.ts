/** How late presses arrive: a hand taps along with clicks, and the middle of what it is off by is taken. */
import { create } from "zustand";

import { audio, clock, output, wake } from "../audio/engine";
import { stopAll } from "./sounding";
import { toast } from "./toasts";
import { useView } from "./view";

const CLICKS = 10;
/** The first taps only find the beat. */
const UNUSED = 2;
const APART_S = 0.5;
const LEAST_TAPS = 4;
const MOST_MS = 200;

/** left: clicks to come, 0 while nothing is measured. */
export const useMeasuring = create<{ left: number }>(() => ({ left: 0 }));

const measuring = { first: 0, off: [] as number[], timer: 0 };

/** A click at a time of the audio clock. */
export function click(at: number, high: boolean): void {
  const context = audio();
  const sound = context.createOscillator();
  const gain = context.createGain();
  sound.frequency.value = high ? 1760 : 1320;
  gain.gain.setValueAtTime(0.25, at);
  gain.gain.exponentialRampToValueAtTime(0.001, at + 0.05);
  sound.connect(gain).connect(output());
  sound.start(at);
  sound.stop(at + 0.06);
}

export async function measureDelay(): Promise<void> {
  stopAll();
  wake();
  await audio().resume();
  measuring.first = audio().currentTime + 0.4;
  measuring.off = [];
  for (let i = 0; i < CLICKS; i++) click(measuring.first + i * APART_S, i % 4 === 0);
  useMeasuring.setState({ left: CLICKS });
  window.clearInterval(measuring.timer);
  measuring.timer = window.setInterval(() => {
    const done = Math.floor((audio().currentTime - measuring.first) / APART_S + 1);
    if (done <= CLICKS) return useMeasuring.setState({ left: Math.max(1, CLICKS - Math.max(0, done)) });
    finish();
  }, 50);
}

/** A press while it is measured: true, it is no playing. at: on the clock of performance.now(). */
export function tapDelay(at: number): boolean {
  if (!useMeasuring.getState().left) return false;
  const when = clock() - (performance.now() - at) / 1000;
  const place = (when - measuring.first) / APART_S;
  const nearest = Math.round(place);
  if (nearest >= UNUSED && nearest < CLICKS) measuring.off.push((place - nearest) * APART_S * 1000);
  return true;
}

function finish(): void {
  window.clearInterval(measuring.timer);
  useMeasuring.setState({ left: 0 });
  const off = measuring.off.sort((a, b) => a - b);
  if (off.length < LEAST_TAPS)
    return toast({
      title: "Too few taps to tell",
      text: "The input delay stays as it was. Tap a pad with every click.",
      tone: "note",
    });
  const middle = off[Math.floor(off.length / 2)] as number;
  const delayMs = Math.round(Math.min(MOST_MS, Math.max(0, middle)));
  useView.getState().look({ delayMs });
  toast({
    title: `Presses arrive ${delayMs} ms late`,
    text: "What you play is put that much earlier from now on.",
    tone: "note",
  });
}
