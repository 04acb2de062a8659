/**
 * The exact loop and the pictures of its buses, once the hand rests. While it works, what sounds may have been rendered from the
 * state that the sound before had; half a second later it is what the file will be.
 */
import { create } from "zustand";

import { api, ApiError, ask } from "../api/client";
import type { Settled } from "../api/types";
import { loopPlayer, useLoop } from "../audio/loop";
import { useSong } from "../audio/song";
import { reloadSounds } from "./edits";
import { usePocket } from "./pocket";
import { useView } from "./view";

const REST_MS = 500;
const AGAIN_MS = 1500;

/** of: the version and pattern that it shows. */
export const useSettled = create<{ settled: Settled | null; of: string }>(() => ({ settled: null, of: "" }));

let timer = 0;
let asked = "";

function place(): string | null {
  const open = usePocket.getState().open;
  const pattern = useView.getState().pattern;
  return open && pattern && open.pocket.patterns[pattern] ? `${open.id} ${open.version} ${pattern}` : null;
}

/** Whether anything wants it: a loop that is heard and not exact yet, or pictures that are looked at. */
function wanted(): boolean {
  const loop = usePocket.getState().open?.sounds?.loop;
  const here = place();
  if (!here || useSettled.getState().of === here || useSong.getState().playing || useSong.getState().coming)
    return false;
  return Boolean(loop && !loop.settled && useLoop.getState().playing) || useView.getState().station === "mix";
}

function later(ms: number): void {
  window.clearTimeout(timer);
  if (wanted()) timer = window.setTimeout(() => void settle(), ms);
}

async function settle(): Promise<void> {
  const here = place();
  const open = usePocket.getState().open;
  const pattern = useView.getState().pattern;
  if (!here || !open || !pattern || asked === here) return;
  asked = here;
  try {
    const settled = await ask(
      api.GET("/api/pockets/{pocket}/settled/{pattern}", { params: { path: { pocket: open.id, pattern } } }),
    );
    if (place() !== here) return;
    useSettled.setState({ settled, of: here });
    await loopPlayer.update(settled.loop, () => void reloadSounds());
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    // Overtaken by an edit, or the server is away: the next rest asks again.
    if (place() === here) window.setTimeout(() => later(0), AGAIN_MS);
  } finally {
    if (asked === here) asked = "";
  }
}

/** Follow the pocket; returns how to stop. */
export function settleAtRest(): () => void {
  let before = place();
  const look = () => {
    const here = place();
    if (here !== before) before = here;
    later(useSettled.getState().settled ? REST_MS : 50);
  };
  const stops = [usePocket.subscribe(look), useView.subscribe(look), useSong.subscribe(look), useLoop.subscribe(look)];
  look();
  return () => {
    window.clearTimeout(timer);
    for (const stop of stops) stop();
  };
}
