/** Fast moves on the chosen hits, or those of the chosen lanes. */
import type { Edit, Pattern, Pocket } from "../../api/types";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { chosenIn } from "./hits";

type Move = (Edit & { type: "move_lanes" })["move"];

interface Props {
  pattern: Pattern;
  pocket: Pocket;
}

/** What a move is made on: what is chosen, else the hits of the chosen lanes, else all. */
export function useMeant(pattern: Pattern, pocket: Pocket): { pads: number[]; hits: string[]; name: string } {
  const ids = useView((s) => s.hits);
  const chosen = useView((s) => s.pads).filter((pad) => pocket.pads[pad]);
  const hits = chosenIn(pattern, ids).map((hit) => hit.id);
  if (hits.length) return { pads: [], hits, name: `${hits.length} chosen ${hits.length === 1 ? "hit" : "hits"}` };
  const pads = chosen.filter((pad) => pattern.hits.some((hit) => hit.pad === pad));
  const one = pocket.pads[pads[0] ?? -1]?.called ?? "it";
  return { pads, hits: [], name: !pads.length ? "all lanes" : pads.length === 1 ? one : `${pads.length} lanes` };
}

export function Moves({ pattern, pocket }: Props) {
  const { name, ...meant } = useMeant(pattern, pocket);
  const chosen = useView((s) => s.pads).filter((pad) => pocket.pads[pad]);
  const move = (which: Move, amount = 0.25) =>
    void edit({ type: "move_lanes", pattern: pattern.id, ...meant, move: which, amount });
  const stretch = (factor: number) =>
    void edit({ type: "stretch_hits", pattern: pattern.id, ...meant, factor, about: 0 });
  return (
    <span role="group" aria-label="Moves" className="inline-flex flex-wrap items-center gap-x-2 gap-y-1 text-[12px]">
      <Menu
        label="Moves"
        trigger={<Button hint={`On ${name}`}>Moves ▾</Button>}
        items={[
          { label: "A 16th earlier", onSelect: () => move("shift", -0.25) },
          { label: "A 16th later", onSelect: () => move("shift", 0.25) },
          { label: "Turn round", onSelect: () => move("reverse") },
          { label: "Twice as fast, twice", onSelect: () => move("double") },
          { label: "Half as fast: the first half", onSelect: () => move("halve") },
          { label: "Twice as far apart", onSelect: () => stretch(2) },
          { label: "Hits where it is silent, and none where it is struck", onSelect: () => move("invert") },
          null,
          { label: "Thin out: every second stays", onSelect: () => move("thin", 2) },
          { label: "Accent every second", onSelect: () => move("accent", 2) },
          { label: "Accent every third", onSelect: () => move("accent", 3) },
          { label: "Accent every fourth", onSelect: () => move("accent", 4) },
          { label: "All up", onSelect: () => move("louder", 12) },
          { label: "All down", onSelect: () => move("louder", -12) },
          { label: "All equally hard", onSelect: () => move("even", 100) },
          { label: "A little variation", onSelect: () => move("vary", 14) },
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
          {
            label: "Double the pattern, its second half varied",
            disabled: pattern.bars > 32,
            onSelect: () => void edit({ type: "move_lanes", pattern: pattern.id, move: "duplicate" }),
          },
        ]}
      />
    </span>
  );
}
