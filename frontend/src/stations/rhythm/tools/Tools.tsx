/** Which tools are out under the main row: one set at a time. */
import { RadioGroup } from "radix-ui";

import type { Pattern, Pocket } from "../../../api/types";
import { type RhythmTools, useView } from "../../../app/view";
import { ChordTools } from "./ChordTools";
import { FeelTools } from "./FeelTools";
import { LaneTools } from "./LaneTools";
import { MelodyTools } from "./MelodyTools";
import { Quantise } from "./Quantise";
import { Sentence } from "./Sentence";
import { Takes } from "./Takes";

const SETS: [RhythmTools, string][] = [
  ["quantise", "Quantise"],
  ["place", "Place"],
  ["feel", "Feel"],
  ["lane", "Lane"],
  ["melody", "Melody"],
  ["chords", "Chords"],
  ["takes", "Takes"],
];

export interface ToolProps {
  pattern: Pattern;
  pocket: Pocket;
}

export function ToolTabs() {
  const tools = useView((s) => s.tools);
  return (
    <RadioGroup.Root
      aria-label="Tools"
      value={tools}
      onValueChange={(value) => useView.getState().look({ tools: value as RhythmTools })}
      className="flex shrink-0 text-[12px]"
    >
      {SETS.map(([key, label]) => (
        <RadioGroup.Item
          key={key}
          value={key}
          className="border-b-[2px] border-transparent px-1.5 py-0.5 text-ink2 hover:text-ink data-[state=checked]:border-ink data-[state=checked]:font-bold data-[state=checked]:text-ink"
        >
          {label}
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  );
}

export function Tools({ pattern, pocket }: ToolProps) {
  const tools = useView((s) => s.tools);
  return (
    <div className="mb-1.5 flex min-h-[27px] flex-wrap items-center gap-x-2 gap-y-1 text-[12px]">
      {tools === "quantise" ? <Quantise pattern={pattern} pocket={pocket} /> : null}
      {tools === "place" ? <Sentence pattern={pattern} pocket={pocket} /> : null}
      {tools === "feel" ? <FeelTools pattern={pattern} pocket={pocket} /> : null}
      {tools === "lane" ? <LaneTools pattern={pattern} pocket={pocket} /> : null}
      {tools === "melody" ? <MelodyTools pattern={pattern} pocket={pocket} /> : null}
      {tools === "chords" ? <ChordTools pattern={pattern} pocket={pocket} /> : null}
      {tools === "takes" ? <Takes pattern={pattern} /> : null}
    </div>
  );
}
