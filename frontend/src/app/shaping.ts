/** One way to change a sound's settings, for all pads that are chosen. */
import type { FullSound } from "../api/types";
import { edit } from "./edits";
import { usePocket } from "./pocket";
import { takeMove } from "./taking";
import { type Changes, tryOut, written } from "../audio/trial";

export type Change = (changes: Changes, gesture?: string | null) => void;

const HOLD_MS = 600;
/** Between two edits of one drag, whose sound is tried out meanwhile. */
const EVERY_MS = 250;
/** What was asked for and has not come back yet, so that quick steps do not each start from an old value. */
const asked = { pad: -1, at: -HOLD_MS, changes: {} as Changes };

export function changeOf(pads: number[]): Change {
  return (changes, gesture = null) => {
    const fresh = asked.pad === pads[0] && performance.now() - asked.at < HOLD_MS;
    Object.assign(asked, {
      pad: pads[0],
      at: performance.now(),
      changes: fresh ? { ...asked.changes, ...changes } : changes,
    });
    const own = Object.entries(changes).filter(([, value]) => value !== null) as [string, number | boolean | string][];
    if (own.length && takeMove(pads, Object.fromEntries(own))) return;
    const pocket = usePocket.getState().open?.id;
    const [pad] = pads;
    const drag = gesture !== null && pads.length === 1 && pad !== undefined && pocket !== undefined;
    const wish = drag ? tryOut(pocket, pad, asked.changes) : null;
    void edit({ type: "set_pads", pads, sound: changes }, gesture, drag ? EVERY_MS : 0).then(
      () => wish !== null && written(wish),
    );
  };
}

/** The setting that was changed last, by name. */
export function lastChanged(): string | null {
  return Object.keys(asked.changes).at(-1) ?? null;
}

/** A pad's sound with what was just asked of it: what to step from. */
export function stepFrom(pad: number, sound: FullSound): FullSound {
  if (asked.pad !== pad || performance.now() - asked.at >= HOLD_MS) return sound;
  return { ...sound, ...Object.fromEntries(Object.entries(asked.changes).filter(([, value]) => value !== null)) };
}
