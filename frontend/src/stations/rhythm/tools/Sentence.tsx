/** A sentence to complete: hits of the chosen pad by a rule. */
import { create } from "zustand";

import { edit } from "../../../app/edits";
import { useView } from "../../../app/view";
import { Button } from "../../../design/Button";
import { Menu } from "../../../design/Menu";
import { NumberField } from "../../../design/NumberField";
import { currentSource } from "../../../app/actions";
import { ROLE_NAMES, ROLES } from "../../../design/roles";
import { numberOf } from "../numbers";
import type { ToolProps } from "./Tools";

const RULES = [
  ["every", "a hit every"],
  ["spread", "spread as evenly as can be"],
  ["silent", "wherever the others are silent"],
  ["end", "alone at the end, so many times"],
] as const;
const EVERY = numberOf("every", "Every", "beats", 1 / 32, 64, 1, 0.25, 2);
const FROM = numberOf("from", "From", "beats", 0, 64, 0, 0.25, 2);
const COUNT = numberOf("count", "Count", "hits", 1, 64, 5, 1, 0);
const VELOCITY = numberOf("velocity", "Velocity", "", 1, 127, 100, 4, 0);

interface Asked {
  rule: (typeof RULES)[number][0];
  every: number;
  from: number;
  count: number;
  velocity: number;
  /** Softer strokes of a find are left out. */
  least: number;
}
const useAsked = create<Asked>(() => ({ rule: "every", every: 1, from: 0, count: 4, velocity: 100, least: 1 }));
const set = (change: Partial<Asked>) => useAsked.setState(change);

/** The rhythm of the find in view, of one of its drums, on the chosen pad: as hard as it is struck. */
function FromFind({ pattern, pad }: { pattern: ToolProps["pattern"]; pad: number | undefined }) {
  useView((s) => s.source);
  const source = currentSource();
  const { selection } = useView.getState();
  const least = useAsked((s) => s.least);
  const span =
    source && selection?.source === source.id
      ? { start: Math.round(selection.start), end: Math.round(selection.end) }
      : {};
  const take = (role: (typeof ROLE_NAMES)[number] | null, straight: boolean) =>
    source &&
    pad !== undefined &&
    void edit({ type: "take_rhythm", pattern: pattern.id, pad, source: source.id, role, straight, least, ...span });
  const there = new Set(source?.cuts.map((cut) => cut.role));
  const roles = ROLE_NAMES.filter((role) => there.has(role));
  return (
    <Menu
      label="Rhythm of the find"
      trigger={
        <Button
          disabled={!source?.grid || pad === undefined}
          hint={source ? `What ${source.name} plays, on this pad` : "Open a find first"}
        >
          From the find ▾
        </Button>
      }
      items={[
        ...roles.map((role) => ({ label: `Its ${ROLES[role].label}`, onSelect: () => take(role, false) })),
        { label: "All that it strikes", onSelect: () => take(null, false) },
        null,
        ...roles.map((role) => ({ label: `Its ${ROLES[role].label}, on the grid`, onSelect: () => take(role, true) })),
        null,
        ...[1, 30, 60].map((velocity) => ({
          label: velocity === 1 ? "Ghosts too" : `Nothing softer than ${velocity}`,
          checked: least === velocity,
          onSelect: () => set({ least: velocity }),
        })),
      ]}
    />
  );
}

export function Sentence({ pattern, pocket }: ToolProps) {
  const asked = useAsked();
  const first = useView((s) => s.pads).find((pad) => pocket.pads[pad]);
  return (
    <div role="group" aria-label="Place hits" className="flex flex-wrap items-center gap-x-2 gap-y-1">
      <span className="text-ink2">{first === undefined ? "choose a pad:" : `${pocket.pads[first]?.called}:`}</span>
      <Menu
        label="Rule"
        trigger={<Button>{RULES.find(([rule]) => rule === asked.rule)?.[1]} ▾</Button>}
        items={RULES.map(([rule, label]) => ({ label, checked: rule === asked.rule, onSelect: () => set({ rule }) }))}
      />
      {asked.rule === "spread" || asked.rule === "end" ? (
        <NumberField parameter={COUNT} label="How many hits" value={asked.count} onChange={(count) => set({ count })} />
      ) : null}
      {asked.rule === "every" ? null : (
        <span className="text-ink2">{asked.rule === "end" ? "over the last" : "on steps of"}</span>
      )}
      <NumberField
        parameter={EVERY}
        label="Every so many beats"
        value={asked.every}
        onChange={(every) => set({ every })}
      />
      {asked.rule === "silent" || asked.rule === "end" ? null : (
        <>
          <span className="text-ink2">from</span>
          <NumberField
            showUnit={false}
            parameter={FROM}
            label="From beat"
            value={asked.from}
            onChange={(from) => set({ from })}
          />
        </>
      )}
      <span className="text-ink2">velocity</span>
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
      <FromFind pattern={pattern} pad={first} />
    </div>
  );
}
