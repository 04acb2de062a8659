/** What can be done to a hit, or to a step that has none. */
import type { Hit, Pattern } from "../../../api/types";
import { edit } from "../../../app/edits";
import { usePocket } from "../../../app/pocket";
import { useView } from "../../../app/view";
import { voices } from "../../../audio/voices";
import type { Item } from "../../../design/Menu";
import { PAGE } from "../../../pads/keys";
import { laneOf, stepsOf } from "../hits";
import type { Lane } from "../lanes";

const ROLLS = [1, 2, 3, 4, 6, 8];
const CHANCES = [100, 75, 50, 25];
const EVERY = [2, 3, 4, 8];
const STARTS = [0, 10, 25, 50, 100];

export function hitItems(pattern: Pattern, hit: Hit, ids: string[]): (Item | null)[] {
  const set = (change: object) => void edit({ type: "set_hits", pattern: pattern.id, hits: ids, ...change });
  const layers = usePocket.getState().open?.pocket.pads[hit.pad]?.layers ?? [];
  const turns = layers.filter((layer) => layer.when !== "always").length;
  const start = Number(hit.own.start ?? 0);
  const when = hit.when;
  return [
    ...[
      ["Full velocity, 127", 127],
      ["Usual velocity, 100", 100],
      ["Ghost, 40", 40],
    ].map(([label, velocity]) => ({
      label: label as string,
      checked: hit.velocity === velocity,
      onSelect: () => set({ velocity }),
    })),
    null,
    ...ROLLS.map((times) => ({
      label: times === 1 ? "One stroke" : `Roll of ${times}`,
      checked: (hit.roll?.times ?? 1) === times,
      onSelect: () =>
        set({ roll: times === 1 ? null : { times, velocity: hit.roll?.velocity ?? 0, note: hit.roll?.note ?? 0 } }),
    })),
    ...(hit.roll
      ? (
          [
            ["Roll grows louder", { ...hit.roll, velocity: 50 }],
            ["Roll fades", { ...hit.roll, velocity: -70 }],
            ["Roll rises by an octave", { ...hit.roll, note: 12 }],
            ["Roll falls by an octave", { ...hit.roll, note: -12 }],
          ] as const
        ).map(([label, roll]) => ({ label, onSelect: () => set({ roll }) }))
      : []),
    null,
    ...CHANCES.map((chance) => ({
      label: chance === 100 ? "Comes each time" : `Comes ${chance} % of the time`,
      checked: (when?.chance ?? 100) === chance && (chance !== 100 || (when?.every ?? 1) === 1),
      onSelect: () => set({ when: chance === 100 ? null : { chance, every: 1, on: 1 } }),
    })),
    ...EVERY.map((every) => ({
      label: `Comes every ${every}${every === 2 ? "nd" : every === 3 ? "rd" : "th"} time`,
      checked: when?.every === every && when.on === every,
      onSelect: () => set({ when: { chance: 100, every, on: every } }),
    })),
    null,
    ...STARTS.map((ms) => ({
      label: ms ? `Begins ${ms} ms into its chop` : "Begins where its chop does",
      checked: start === ms,
      onSelect: () => set({ own: { start: ms || null } }),
    })),
    {
      label: "Backwards",
      checked: hit.own.reverse === true,
      onSelect: () => set({ own: { reverse: hit.own.reverse === true ? null : true } }),
    },
    ...(turns > 1
      ? [
          { label: "Layers in turn", checked: hit.turn === null, onSelect: () => set({ turn: null }) },
          ...Array.from({ length: turns }, (_, turn) => ({
            label: `Always layer ${turn + 1} of them`,
            checked: hit.turn === turn,
            onSelect: () => set({ turn }),
          })),
        ]
      : []),
    null,
    { label: "Play it", onSelect: () => voices.press(hit.pad, hit.velocity) },
    {
      label: "Choose its pad",
      onSelect: () => useView.getState().look({ pads: [hit.pad], page: Math.floor(hit.pad / PAGE) }),
    },
    {
      label: ids.length > 1 ? `Remove ${ids.length} hits` : "Remove it",
      onSelect: () => void edit({ type: "remove_hits", pattern: pattern.id, hits: ids }),
    },
  ];
}

export function stepItems(pattern: Pattern, lane: Lane, beat: number): (Item | null)[] {
  if (lane.group) return [];
  const own = laneOf(pattern, lane.pad);
  const step = Math.floor(beat / own.step + 1e-6);
  const out = own.skipped.includes(step);
  const steps = stepsOf(pattern, own);
  const set = (change: object) => void edit({ type: "set_lanes", pattern: pattern.id, pads: [lane.pad], ...change });
  return [
    {
      label: out ? "Bring this step back" : "Leave this step out",
      checked: out,
      disabled: step >= steps,
      onSelect: () => set({ skipped: out ? own.skipped.filter((one) => one !== step) : [...own.skipped, step] }),
    },
    {
      label: `The lane begins again behind step ${step + 1}`,
      disabled: own.steps === step + 1,
      onSelect: () => set({ steps: step + 1 }),
    },
    {
      label: "The lane is as long as the pattern",
      disabled: own.steps === null && !own.skipped.length,
      onSelect: () => set({ steps: null, skipped: [] }),
    },
  ];
}
