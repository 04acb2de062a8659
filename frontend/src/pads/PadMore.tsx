/** Where there is room under a pad: what is set most often in Shape, and the way there. */
import { changeOf } from "../app/shaping";
import type { FullSound } from "../api/types";
import { useView } from "../app/view";
import { Button } from "../design/Button";
import { useWindow } from "../design/useWindow";
import { Settings } from "./Settings";

/** From this height on the pads leave room. */
const TALL = 1000;
const MOST_USED: [group: string, names: string[]][] = [
  ["chop", ["pan"]],
  ["envelope", ["attack", "decay", "sustain"]],
  ["filter", ["filter", "cutoff", "resonance", "drive"]],
];

export function PadMore({ pads, sound }: { pads: number[]; sound: FullSound }) {
  const tall = useWindow(() => window.innerHeight >= TALL);
  if (!tall) return null;
  const change = changeOf(pads);
  return (
    <div className="mt-2.5 flex flex-col gap-1 border-t border-rule pt-2.5" data-testid="pad-more">
      {MOST_USED.map(([group, names]) => (
        <Settings key={group} group={group} names={names} sound={sound} change={change} />
      ))}
      <div className="mt-1">
        <Button hint="All that can be set on it" onClick={() => useView.getState().look({ station: "shape" })}>
          All of it in Shape
        </Button>
      </div>
    </div>
  );
}
