/** One way to change a sound's settings, for all pads that are chosen. */
import type { FullSound } from "../../api/types";
import { edit } from "../../app/edits";

export type Change = (changes: Record<string, number | boolean | string | null>, gesture?: string | null) => void;

const HOLD_MS = 600;
/** What was asked for and has not come back yet, so that quick steps do not each start from an old value. */
const asked = { pad: -1, at: -HOLD_MS, changes: {} as Record<string, number | boolean | string | null> };

export function changeOf(pads: number[]): Change {
  return (changes, gesture = null) => {
    const fresh = asked.pad === pads[0] && performance.now() - asked.at < HOLD_MS;
    Object.assign(asked, {
      pad: pads[0],
      at: performance.now(),
      changes: fresh ? { ...asked.changes, ...changes } : changes,
    });
    void edit({ type: "set_pads", pads, sound: changes }, gesture);
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
