/** Clicks on the beats of the loop while it plays, if they are wanted: to record along with. They are in no file. */
import { create } from "zustand";

import { audio } from "../audio/engine";
import { loopPlayer, useLoop } from "../audio/loop";
import { click } from "./latency";
import { usePocket } from "./pocket";

const AHEAD_S = 0.12;
const LOOK_MS = 30;

export const useMetronome = create<{ on: boolean }>(() => ({ on: false }));

/** Follow the loop; returns how to stop. */
export function followMetronome(): () => void {
  let timer = 0;
  let last = -1;
  const look = () => {
    const loop = loopPlayer.loop();
    if (!loop || !useLoop.getState().playing) return;
    const perBeat = (60 / loop.tempo) * loop.rate;
    const place = loopPlayer.place();
    const next = Math.ceil(place / perBeat - 1e-6);
    const wait = (next * perBeat - place) / loop.rate;
    const at = audio().currentTime + wait;
    if (wait > AHEAD_S || Math.abs(at - last) < 0.05) return;
    last = at;
    const beats = Math.round(loop.length / perBeat);
    const bar = usePocket.getState().open?.pocket.patterns[loop.pattern]?.beats_per_bar ?? 4;
    click(at, (next % beats) % bar === 0);
  };
  const watch = () => {
    window.clearInterval(timer);
    timer = useMetronome.getState().on && useLoop.getState().playing ? window.setInterval(look, LOOK_MS) : 0;
  };
  const leave = [useMetronome.subscribe(watch), useLoop.subscribe(watch)];
  return () => {
    window.clearInterval(timer);
    for (const one of leave) one();
  };
}
