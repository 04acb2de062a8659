/** The chosen lanes: length, rate, level, swing and feel of their own; their rhythm on other lanes. */
import { useParameter } from "../../../app/about";
import { edit } from "../../../app/edits";
import { useView } from "../../../app/view";
import { Button } from "../../../design/Button";
import { Menu } from "../../../design/Menu";
import { NumberField } from "../../../design/NumberField";
import type { Parameter } from "../../../api/types";
import { beatsOf, laneOf, stepsOf } from "../hits";
import { rateName, RATES } from "../rates";
import { useFeels } from "./FeelTools";
import type { ToolProps } from "./Tools";

const STEPS: Parameter = {
  name: "steps",
  label: "Steps",
  unit: "steps",
  low: 1,
  high: 256,
  default: 16,
  step: 1,
  digits: 0,
  help: "",
  curve: "linear",
};

export function LaneTools({ pattern, pocket }: ToolProps) {
  const chosen = useView((s) => s.pads).filter((pad) => pocket.pads[pad]);
  const step = useView((s) => s.step);
  // The lanes that are chosen, else the one that is being worked in.
  const pads = chosen.length ? chosen : step && pocket.pads[step.pad] ? [step.pad] : [];
  const feels = useFeels(pocket);
  const level = useParameter("lane", "level");
  const swing = useParameter("pattern", "swing");
  const first = pads[0];
  if (first === undefined) return <span className="text-ink2">Choose a lane by its name, or its pad.</span>;
  const lane = laneOf(pattern, first);
  const set = (change: object, gesture?: string) =>
    void edit({ type: "set_lanes", pattern: pattern.id, pads, ...change }, gesture);
  const name = pads.length > 1 ? `${pads.length} lanes` : pocket.pads[first]?.called;
  const ownTime = lane.steps !== null || lane.skipped.length > 0;
  const others = Object.entries(pocket.pads).filter(([key]) => !pads.includes(Number(key)));
  return (
    <>
      <b className="max-w-28 truncate">{name}</b>
      <Menu
        label="Steps of the lane"
        trigger={<Button>{rateName(lane.step)} ▾</Button>}
        items={RATES.map(({ step, label }) => ({
          label,
          checked: Math.abs(step - lane.step) < 1e-6,
          onSelect: () => set({ step }),
        }))}
      />
      <NumberField
        parameter={{ ...STEPS, default: Math.round(beatsOf(pattern) / lane.step) }}
        label="Length of the lane"
        value={stepsOf(pattern, lane)}
        onChange={(value, gesture) => {
          const steps = Math.round(value);
          set({ steps: Math.abs(steps * lane.step - beatsOf(pattern)) < 1e-6 ? null : steps }, gesture);
        }}
      />
      {ownTime ? (
        <Button hint="As long as the pattern again, no step left out" onClick={() => set({ steps: null, skipped: [] })}>
          As the pattern
        </Button>
      ) : null}
      <span className="text-ink2">level</span>
      <NumberField
        parameter={level}
        label="Level of the lane"
        value={lane.level}
        onChange={(value, gesture) => set({ level: value }, gesture)}
      />
      <span className="text-ink2">swing</span>
      <NumberField
        parameter={swing}
        label="Swing of the lane"
        value={lane.swing ?? pattern.swing}
        onChange={(value, gesture) => set({ swing: value }, gesture)}
      />
      <Menu
        label="Feel of the lane"
        trigger={
          <Button>
            Feel: {lane.feel ? (feels.find(({ id }) => id === lane.feel?.feel)?.name ?? "?") : "the pattern's"} ▾
          </Button>
        }
        items={[
          {
            label: "The pattern's swing and feel",
            checked: lane.feel === null && lane.swing === null,
            onSelect: () => set({ feel: null, swing: null }),
          },
          ...feels.map((feel) => ({
            label: feel.name,
            checked: lane.feel?.feel === feel.id,
            onSelect: () => set({ feel: { feel: feel.id } }),
          })),
        ]}
      />
      <Menu
        label="Copy its rhythm"
        trigger={<Button hint="Places, lengths and notes on another pad too">Copy to ▾</Button>}
        items={others.flatMap(([key, pad]) => [
          {
            label: pad.called,
            onSelect: () =>
              void edit({ type: "copy_rhythm", pattern: pattern.id, pad: first, to: [Number(key)], velocity: null }),
          },
        ])}
      />
      {Object.keys(pattern.lanes).length || pattern.hits.some((hit) => hit.when) ? (
        <Button
          hint="Lanes of their own length written out bar by bar, with what comes by chance"
          onClick={() => void edit({ type: "write_in", pattern: pattern.id, lanes: true })}
        >
          Write lanes out
        </Button>
      ) : null}
    </>
  );
}
