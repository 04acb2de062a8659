/** On the wave's edge in Chop: cutting by hand, and with the pads while the find plays. */
import type { Snap } from "../../api/types";
import { cutHere, deleteCuts } from "../../app/actions";
import { useParameter } from "../../app/about";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";
import { Toggle } from "../../design/Toggle";

const SNAPS: [Snap, string][] = [
  ["attack", "attacks"],
  ["quiet", "quiet points"],
  ["grid", "the grid"],
  ["off", "where they are put"],
];

export function ByHand({ chosen }: { chosen: number }) {
  const snap = useView((s) => s.snap);
  const live = useView((s) => s.live);
  const look = useView.getState().look;
  return (
    <>
      <Menu
        label="Cuts by hand"
        trigger={
          <Button hint="A cut at the playhead; where cuts made or dragged go (hold Alt while dragging: nowhere)">
            Cuts ▾
          </Button>
        }
        items={[
          { label: "Add a cut at the playhead", keys: "N", onSelect: cutHere },
          {
            label: chosen > 1 ? `Delete ${chosen} cuts` : "Delete the chosen cut",
            keys: "Delete",
            disabled: !chosen,
            onSelect: deleteCuts,
          },
          null,
          ...SNAPS.map(([one, label]) => ({
            label: `They go to ${label}`,
            checked: one === snap,
            onSelect: () => look({ snap: one }),
          })),
        ]}
      />
      <Toggle
        on={live}
        onChange={(on) => look({ live: on })}
        keys="J"
        hint="While the find plays, a press of a free pad cuts there and takes the slice; press it again to take it anew"
      >
        Cut live
      </Toggle>
    </>
  );
}

/** How far a live cut may go to an attack, and how late presses arrive. */
export function LiveSettings() {
  const reach = useParameter("chop", "window");
  const delay = useParameter("chop", "latency");
  const catchMs = useView((s) => s.catchMs) ?? reach.default;
  const delayMs = useView((s) => s.delayMs) ?? delay.default;
  const look = useView.getState().look;
  return (
    <span className="inline-flex items-baseline gap-1.5 text-[12px]">
      <span className="text-ink2">Live: {reach.label.toLowerCase()}</span>
      <NumberField parameter={reach} value={catchMs} onChange={(value) => look({ catchMs: value })} />
      <span className="text-ink2">{delay.label}</span>
      <NumberField parameter={delay} value={delayMs} onChange={(value) => look({ delayMs: value })} />
    </span>
  );
}
