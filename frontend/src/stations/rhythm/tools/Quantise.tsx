/** Hits drawn to a grid, straight, swung or of a feel. */
import { create } from "zustand";

import { edit } from "../../../app/edits";
import { Button } from "../../../design/Button";
import { Menu } from "../../../design/Menu";
import { NumberField } from "../../../design/NumberField";
import { useMeant } from "../Moves";
import { numberOf } from "../numbers";
import { rateName, RATES } from "../rates";
import { useFeels } from "./FeelTools";
import type { ToolProps } from "./Tools";

const STRENGTH = numberOf("strength", "Strength", "%", 0, 100, 100, 5, 0);
const SWING = numberOf("swing", "Swing", "%", 50, 75, 50, 1, 0);
const REACHES = [100, 60, 30];

interface Asked {
  step: number;
  strength: number;
  swing: number;
  reach: number;
  /** A feel to whose lines hits are drawn. */
  feel: string | null;
  /** Only the chosen lanes. */
  chosen: boolean;
}
const useAsked = create<Asked>(() => ({ step: 0.25, strength: 100, swing: 50, reach: 100, feel: null, chosen: false }));
const set = (change: Partial<Asked>) => useAsked.setState(change);

export function Quantise({ pattern, pocket }: ToolProps) {
  const asked = useAsked();
  const { name, ...meant } = useMeant(pattern, pocket);
  // Of lanes only where it is asked for: pads that were just played are chosen too.
  const narrow = meant.hits.length > 0 || (asked.chosen && meant.pads.length > 0);
  const feels = useFeels(pocket);
  const feel = feels.find(({ id }) => id === asked.feel);
  const { step, strength, swing, reach } = asked;
  return (
    <>
      <Button
        hint={`Draws ${narrow ? name : "all hits"} to the nearest line`}
        onClick={() =>
          void edit({
            type: "quantise",
            pattern: pattern.id,
            ...(narrow ? meant : {}),
            step,
            strength,
            reach,
            swing: feel ? 50 : swing,
            feel: feel?.id ?? null,
          })
        }
      >
        Quantise
      </Button>
      <Menu
        label="Grid"
        trigger={<Button>{feel?.name ?? rateName(step)} ▾</Button>}
        items={[
          ...RATES.filter((rate) => ![0.75, 0.375].includes(rate.step)).map((rate) => ({
            label: rate.label,
            checked: !feel && rate.step === step,
            onSelect: () => set({ step: rate.step, feel: null }),
          })),
          null,
          ...feels.map(({ id, name }) => ({
            label: `Lines of ${name}`,
            checked: id === asked.feel,
            onSelect: () => set({ feel: id, step: 0.25 }),
          })),
          null,
          ...REACHES.map((percent) => ({
            label: percent === 100 ? "All hits" : `Only those within ${percent} % of half a step`,
            checked: reach === percent,
            onSelect: () => set({ reach: percent }),
          })),
        ]}
      />
      <NumberField
        parameter={STRENGTH}
        label="Strength of quantise"
        value={strength}
        onChange={(value) => set({ strength: value })}
      />
      {meant.hits.length ? (
        <span className="text-ink2">{name}</span>
      ) : (
        <Menu
          label="Whose hits"
          trigger={<Button>{narrow ? `of ${name}` : "of all lanes"} ▾</Button>}
          items={[
            { label: "of all lanes", checked: !narrow, onSelect: () => set({ chosen: false }) },
            {
              label: meant.pads.length ? `of ${name}` : "of the chosen lanes",
              checked: narrow,
              disabled: !meant.pads.length,
              onSelect: () => set({ chosen: true }),
            },
          ]}
        />
      )}
      {feel ? null : (
        <>
          <span className="text-ink2">swing</span>
          <NumberField
            parameter={SWING}
            label="Swing of the grid"
            value={swing}
            onChange={(value) => set({ swing: value })}
          />
        </>
      )}
    </>
  );
}
