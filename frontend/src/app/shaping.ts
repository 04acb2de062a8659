/** One way to change a sound's settings, for all pads that are chosen. */
import type { Edit, FullSound } from "../api/types";
import { edit } from "./edits";
import { usePocket } from "./pocket";
import { takeMove } from "./taking";
import { type Changes, tryOut, written } from "../audio/trial";
import { voices } from "../audio/voices";

export type Field = "level" | "pitch" | "fade_out";
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
    ahead({ type: "set_pads", pads, sound: changes }, pads, () => asked.changes, gesture);
  };
}

/** A number of several pads, each its own. */
export function setEach(field: Field, values: Record<number, number>, gesture: string): void {
  const pads = Object.keys(values).map(Number);
  ahead({ type: "set_each_pad", field, values }, pads, (pad) => ({ [field]: values[pad] ?? null }), gesture);
}

/** Make an edit; within a gesture, the one of its pads that is under the hand sounds so before it is written down. */
function ahead(what: Edit, pads: number[], changes: (pad: number) => Changes, gesture: string | null): void {
  const pocket = usePocket.getState().open?.id;
  const pad = gesture === null ? undefined : voices.underHand(pads);
  const wish = pad === undefined || pocket === undefined ? null : tryOut(pocket, pad, changes(pad));
  void edit(what, gesture, wish === null ? 0 : EVERY_MS).then(() => wish !== null && written(wish));
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
