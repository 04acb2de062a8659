/** Which pads have a row in the pattern: those it hits, the chosen ones, and (in the station) all of the page in view. */
import type { Pattern, Pocket, Role } from "../../api/types";
import { soundOf } from "../../app/sounds";
import { inScale } from "./chords";
import { ROLE_NAMES, ROLES } from "../../design/roles";
import { PAGE } from "../../pads/keys";

/** A row of the grid: the hits of one pad, or of all pads of a role that are folded into one. */
export interface Lane {
  /** Where a new hit goes. */
  pad: number;
  /** Whose hits stand in it; none where a group's own row heads its unfolded lanes. */
  pads: number[];
  name: string;
  role: Role | null;
  empty: boolean;
  /** Of a row of a lane that is unfolded into its notes: semitones from the pad's own pitch. */
  note?: number;
  /** Of a row that stands for a group. */
  group?: { key: string; folded: boolean; count: number; pads: number[] };
}

/** With more lanes than a page of pads has they are grouped by role. */
const MOST_PLAIN = PAGE;

/** all: also those pads of the page that have no hits yet. */
export function lanesOf(pocket: Pocket, pattern: Pattern, page: number, chosen: number[], all: boolean): Lane[] {
  const hit = new Set(pattern.hits.map((one) => one.pad));
  const rows = new Set(hit);
  for (const index of Object.keys(pocket.pads).map(Number)) {
    if (Math.floor(index / PAGE) === page && (all || !pattern.hits.length || chosen.includes(index))) rows.add(index);
  }
  return [...rows]
    .sort((a, b) => a - b)
    .map((pad) => {
      const record = pocket.pads[pad];
      return { pad, pads: [pad], name: record?.called ?? "empty pad", role: record?.role ?? null, empty: !record };
    });
}

/** Many lanes as groups by role, which fold. unfolded: the groups that are open; chosen: pads that new hits of a folded group
 * go to first. */
export function grouped(lanes: Lane[], unfolded: string[], chosen: number[]): Lane[] {
  if (lanes.length <= MOST_PLAIN) return lanes;
  return [...ROLE_NAMES, null].flatMap((role) => {
    const mine = lanes.filter((lane) => lane.role === role);
    if (mine.length < 2) return mine;
    const key = role ?? "none";
    const folded = !unfolded.includes(key);
    const pads = mine.map((lane) => lane.pad);
    const pad = chosen.findLast((index) => pads.includes(index)) ?? (pads[0] as number);
    const name = role ? ROLES[role].label : "no role";
    const head: Lane = {
      pad,
      pads: folded ? pads : [],
      name,
      role,
      empty: mine.every((lane) => lane.empty),
      group: { key, folded, count: mine.length, pads },
    };
    return folded ? [head] : [head, ...mine];
  });
}

/** Semitones above and below the pad's own pitch that an unfolded lane shows, unless its hits go further. */
const NOTES_SHOWN = 7;

/** Lanes that are unfolded into rows of their notes, the highest first; only: those that it allows, and what is played. */
export function withNotes(
  lanes: Lane[],
  pattern: Pattern,
  unfolded: number[],
  only: ((note: number, pad: number) => boolean) | null = null,
): Lane[] {
  return lanes.flatMap((lane) => {
    if (lane.group || !unfolded.includes(lane.pad)) return [lane];
    const notes = new Set(pattern.hits.filter((hit) => hit.pad === lane.pad).map((hit) => hit.note));
    const high = Math.max(NOTES_SHOWN, ...notes);
    const low = Math.min(-NOTES_SHOWN, ...notes);
    return Array.from({ length: high - low + 1 }, (_, i) => ({ ...lane, note: high - i })).filter(
      ({ note, pad }) => !only || note === 0 || notes.has(note) || only(note, pad),
    );
  });
}

/** Whether a note of a pad lies in the pocket's key; null where it has none. */
export function inKeyOf(pocket: Pocket): ((note: number, pad: number) => boolean) | null {
  const key = pocket.key;
  if (!key) return null;
  return (note, pad) => {
    const root = Math.round(soundOf(pocket.pads[pad]?.sound ?? {}).root);
    return inScale(root + note, key.tonic, key.mode);
  };
}
