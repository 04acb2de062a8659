/** Pads light as the pattern strikes them: by the samples at which the core laid its hits, at the place that is heard. */
import { create } from "zustand";

import { loopPlayer, useLoop } from "../audio/loop";
import { litAt } from "./lit";

/** How long a pad stays lit, in seconds: long enough to be seen, short enough to tell two hits apart. */
const LIT_S = 0.11;

export const useLit = create<{ lit: Record<number, true> }>(() => ({ lit: {} }));

function same(a: Record<number, true>, b: Record<number, true>): boolean {
  const keys = Object.keys(a);
  return keys.length === Object.keys(b).length && keys.every((key) => key in b);
}

/** Follow the loop while it plays; returns how to stop. */
export function lightPads(): () => void {
  let frame = 0;
  const tick = () => {
    const loop = loopPlayer.loop();
    const now = loop ? litAt(loop.hits, loopPlayer.place(), loop.length, LIT_S * loop.rate) : {};
    if (!same(now, useLit.getState().lit)) useLit.setState({ lit: now });
    frame = requestAnimationFrame(tick);
  };
  const stop = () => {
    cancelAnimationFrame(frame);
    if (Object.keys(useLit.getState().lit).length) useLit.setState({ lit: {} });
  };
  const leave = useLoop.subscribe(({ playing }, before) => {
    if (playing === before.playing) return;
    stop();
    if (playing) tick();
  });
  return () => {
    leave();
    stop();
  };
}
