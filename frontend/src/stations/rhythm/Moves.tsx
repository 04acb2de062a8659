/** Moves on the hits of the chosen lanes: on the grid, and the fast ones; and a sentence to complete. */
import { create } from "zustand";

import type { Parameter, Pattern, Pocket } from "../../api/types";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";

const STEPS: [number, string][] = [
  [1, "quarters"],
  [0.5, "8ths"],
  [1 / 3, "8th triplets"],
  [0.25, "16ths"],
  [1 / 6, "16th triplets"],
  [0.125, "32nds"],
];
const RULES = [
  ["every", "a hit every"],
  ["spread", "spread as evenly as can be"],
  ["silent", "wherever the others are silent"],
] as const;
const number = (
  name: string,
  label: string,
  unit: string,
  low: number,
  high: number,
  standard: number,
  step: number,
  digits: number,
): Parameter => ({ name, label, unit, low, high, default: standard, step, digits, help: "", curve: "linear" });
const STRENGTH = number("strength", "Strength", "%", 0, 100, 100, 5, 0);
const SWING = number("swing", "Swing", "%", 50, 75, 50, 1, 0);
const EVERY = number("every", "Every", "beats", 1 / 32, 64, 1, 0.25, 2);
const FROM = number("from", "From", "beats", 0, 64, 0, 0.25, 2);
const COUNT = number("count", "Count", "hits", 1, 64, 5, 1, 0);
const VELOCITY = number("velocity", "Velocity", "", 1, 127, 100, 4, 0);

interface Asked {
  step: number;
  strength: number;
  swing: number;
  rule: (typeof RULES)[number][0];
  every: number;
  from: number;
  count: number;
  velocity: number;
}
const useAsked = create<Asked>(() => ({
  step: 0.25,
  strength: 100,
  swing: 50,
  rule: "every",
  every: 1,
  from: 0,
  count: 5,
  velocity: 100,
}));
const set = (change: Partial<Asked>) => useAsked.setState(change);

interface Props {
  pattern: Pattern;
  pocket: Pocket;
}

export function Moves({ pattern, pocket }: Props) {
  const asked = useAsked();
  const chosen = useView((s) => s.pads).filter((pad) => pocket.pads[pad]);
  const struck = chosen.filter((pad) => pattern.hits.some((hit) => hit.pad === pad));
  // The chosen lanes, if they have hits; else all.
  const pads = struck;
  const whose = struck.length
    ? struck.length === 1
      ? (pocket.pads[struck[0] as number]?.called ?? "it")
      : `${struck.length} lanes`
    : "all lanes";
  const move = (
    which: "shift" | "reverse" | "double" | "halve" | "thin" | "accent" | "even" | "stutter",
    amount = 0.25,
  ) => void edit({ type: "move_lanes", pattern: pattern.id, pads, move: which, amount });
  return (
    <span role="group" aria-label="Moves" className="inline-flex flex-wrap items-center gap-x-2 gap-y-1 text-[12px]">
      <Button
        hint="Draws hits to the nearest line"
        onClick={() =>
          void edit({
            type: "quantise",
            pattern: pattern.id,
            pads,
            step: asked.step,
            strength: asked.strength,
            swing: asked.swing,
          })
        }
      >
        Quantise
      </Button>
      <Menu
        label="Grid"
        trigger={<Button>{STEPS.find(([step]) => step === asked.step)?.[1]} ▾</Button>}
        items={STEPS.map(([step, label]) => ({ label, checked: step === asked.step, onSelect: () => set({ step }) }))}
      />
      <NumberField
        parameter={STRENGTH}
        label="Strength of quantise"
        value={asked.strength}
        onChange={(strength) => set({ strength })}
      />
      <span className="text-ink2">swing</span>
      <NumberField
        parameter={SWING}
        label="Swing of the grid"
        value={asked.swing}
        onChange={(swing) => set({ swing })}
      />
      <Menu
        label="Moves"
        trigger={<Button hint={`On the hits of ${whose}`}>Moves ▾</Button>}
        items={[
          { label: "A 16th earlier", onSelect: () => move("shift", -0.25) },
          { label: "A 16th later", onSelect: () => move("shift", 0.25) },
          { label: "Turn round", onSelect: () => move("reverse") },
          { label: "Twice as fast", onSelect: () => move("double") },
          { label: "Half as fast", onSelect: () => move("halve") },
          null,
          { label: "Thin out: every second stays", onSelect: () => move("thin", 2) },
          { label: "Accent every second", onSelect: () => move("accent", 2) },
          { label: "Accent every fourth", onSelect: () => move("accent", 4) },
          { label: "All equally hard", onSelect: () => move("even", asked.velocity) },
          null,
          { label: "Stutter the last beat, 4 times", onSelect: () => move("stutter", 4) },
          { label: "Stutter the last beat, 3 times", onSelect: () => move("stutter", 3) },
          {
            label: "Strike the two chosen lanes in turn",
            disabled: chosen.length !== 2,
            onSelect: () =>
              void edit({
                type: "move_lanes",
                pattern: pattern.id,
                pads: [chosen[0] as number],
                other: chosen[1] as number,
                move: "alternate",
              }),
          },
        ]}
      />
    </span>
  );
}

/** A sentence to complete: hits of the chosen pad by a rule. */
export function Sentence({ pattern, pocket }: Props) {
  const asked = useAsked();
  const first = useView((s) => s.pads).find((pad) => pocket.pads[pad]);
  return (
    <div role="group" aria-label="Place hits" className="mb-2 flex flex-wrap items-center gap-x-2 gap-y-1 text-[12px]">
      <span className="text-ink2">{first === undefined ? "choose a pad for:" : `${pocket.pads[first]?.called}:`}</span>
      <Menu
        label="Rule"
        trigger={<Button>{RULES.find(([rule]) => rule === asked.rule)?.[1]} ▾</Button>}
        items={RULES.map(([rule, label]) => ({ label, checked: rule === asked.rule, onSelect: () => set({ rule }) }))}
      />
      {asked.rule === "spread" ? (
        <NumberField parameter={COUNT} label="How many hits" value={asked.count} onChange={(count) => set({ count })} />
      ) : null}
      {asked.rule === "every" ? null : <span className="text-ink2">on steps of</span>}
      <NumberField
        parameter={EVERY}
        label="Every so many beats"
        value={asked.every}
        onChange={(every) => set({ every })}
      />
      {asked.rule === "silent" ? null : (
        <>
          <span className="text-ink2">from</span>
          <NumberField parameter={FROM} label="From beat" value={asked.from} onChange={(from) => set({ from })} />
        </>
      )}
      <span className="text-ink2">at velocity</span>
      <NumberField
        parameter={VELOCITY}
        label="Velocity of placed hits"
        value={asked.velocity}
        onChange={(velocity) => set({ velocity: Math.round(velocity) })}
      />
      <Button
        tone="solid"
        disabled={first === undefined}
        hint="In place of what the pad plays now"
        onClick={() =>
          first !== undefined &&
          void edit({
            type: "place_hits",
            pattern: pattern.id,
            pad: first,
            rule: asked.rule,
            every: asked.every,
            start: asked.from,
            count: Math.round(asked.count),
            velocity: asked.velocity,
          })
        }
      >
        Place
      </Button>
    </div>
  );
}
