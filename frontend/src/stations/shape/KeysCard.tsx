/** The pad as an instrument: root, voices, glide, spread, chord, zones. */
import type { FullSound, Pad, Pocket, ShapeReply } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";
import { Toggle } from "../../design/Toggle";
import type { Change } from "../../app/shaping";
import { Choices, Settings } from "../../pads/Settings";
import { noteName } from "./summaries";

interface Props {
  index: number;
  pad: Pad;
  pocket: Pocket;
  sound: FullSound;
  change: Change;
  shape: ShapeReply | undefined;
}

export function KeysCard({ index, pad, pocket, sound, change, shape }: Props) {
  const root = useParameter("pad", "root");
  const chosen = useView((s) => s.pads).filter((other) => other !== index && pocket.pads[other]);
  const others = Object.entries(pocket.pads).filter(([other]) => Number(other) !== index);
  return (
    <>
      <div className="mb-1.5 flex flex-wrap items-center gap-1.5">
        <Button
          hint="From the pitch that is heard in it"
          disabled={!shape?.note}
          onClick={() => void edit({ type: "find_root", pads: [index] })}
        >
          Root as heard{shape?.note ? `: ${shape.note}` : ""}
        </Button>
        <Choices
          group="keys"
          name="voices"
          sound={sound}
          change={(changes) =>
            change({
              ...changes,
              ...(changes.voices !== "poly" && sound.glide === 0 ? { glide: 100, release: 150 } : {}),
            })
          }
        />
        <Toggle
          on={sound.in_key}
          onChange={(in_key) => change({ in_key })}
          hint="Keys outside the pocket's key play the nearest one inside"
        >
          In the key
        </Toggle>
      </div>
      <div className="grid grid-cols-2 gap-x-6 gap-y-0.5">
        <Settings
          group="keys"
          names={["root", "glide", "spread", "copies", "most_voices", "chord"]}
          sound={sound}
          change={change}
        />
      </div>
      <div className="mt-2 flex flex-wrap items-center gap-1.5 border-t border-rule pt-1.5 text-[12px]">
        <span className="text-ink2">Zones:</span>
        <span>
          {noteName(sound.root)} {pad.called}
        </span>
        {pad.zones.map((zone, i) => (
          <span key={i} className="inline-flex items-center gap-1 rounded-[3px] border border-rule px-1.5">
            {noteName(zone.root)}
            <NumberField
              parameter={root}
              label={`Root of zone ${i + 1}`}
              showUnit={false}
              value={zone.root}
              onChange={(value, gesture) => void edit({ type: "set_zone", pad: index, zone: i, root: value }, gesture)}
            />
            <button
              type="button"
              aria-label={`Take zone ${i + 1} out`}
              className="px-0.5 text-ink2 hover:bg-well"
              onClick={() => void edit({ type: "set_zone", pad: index, zone: i, remove: true })}
            >
              ×
            </button>
          </span>
        ))}
        <Menu
          label="Add a zone"
          trigger={<Button hint="Another pad's chop, laid out by the pitch that is heard in it">+ Zone ▾</Button>}
          items={[
            ...(chosen.length
              ? [
                  {
                    label: `The ${chosen.length} other chosen pads`,
                    onSelect: () => void edit({ type: "add_zones", pad: index, pads: chosen }),
                  },
                  null,
                ]
              : []),
            ...others.map(([other, one]) => ({
              label: one.called,
              onSelect: () => void edit({ type: "add_zones", pad: index, pads: [Number(other)] }),
            })),
          ]}
        />
      </div>
    </>
  );
}
