/** What sounds along with it: bands of itself, or other sounds; each a strip with its own settings. */
import type { Layer, Pad, Parameter, Pocket } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { soundOf } from "../../app/sounds";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";

const WHEN = [
  ["always", "always"],
  ["in turn", "in turn"],
  ["random", "by chance"],
] as const;

export function LayersCard({ index, pad, pocket }: { index: number; pad: Pad; pocket: Pocket }) {
  const others = Object.entries(pocket.pads).filter(([other]) => Number(other) !== index);
  return (
    <>
      <div className="mb-1.5 flex flex-wrap items-center gap-1.5">
        <Button
          hint="A low half and a high half, each with settings of its own; untouched they are what it was"
          onClick={() => void edit({ type: "split_bands", pad: index, edges: [200] })}
        >
          Part at 200 Hz
        </Button>
        <Button
          hint="Sub up to 90 Hz, knock up to 1 kHz, click above"
          onClick={() => void edit({ type: "split_bands", pad: index, edges: [90, 1000] })}
        >
          Sub, knock, click
        </Button>
        <Menu
          label="Add the sound of another pad"
          trigger={<Button hint="Its chop sounds along">+ Another pad ▾</Button>}
          items={others.map(([other, one]) => ({
            label: one.called,
            disabled: !one.chop.cut,
            onSelect: () =>
              void edit({
                type: "slices_to_pads",
                source: one.chop.source,
                cuts: [one.chop.cut as string],
                pads: [index],
                layer: true,
              }),
            keys: other ? undefined : undefined,
          }))}
        />
      </div>
      {pad.layers.map((layer, i) => (
        <Strip
          key={i}
          index={index}
          number={i}
          layer={layer}
          name={layer.name || pocket.sources[layer.chop.source]?.name || "layer"}
        />
      ))}
      {pad.layers.length ? null : (
        <p className="text-[12px] text-ink2">
          It sounds alone. Parted into bands, each can be shortened, turned down or taken out by itself.
        </p>
      )}
    </>
  );
}

function Strip({ index, number, layer, name }: { index: number; number: number; layer: Layer; name: string }) {
  const sound = soundOf(layer.sound);
  const parameters: [keyof typeof sound, Parameter][] = [
    ["level", useParameter("pad", "level")],
    ["pitch", useParameter("pad", "pitch")],
    ["decay", useParameter("pad", "decay")],
    ["sustain", useParameter("pad", "sustain")],
    ["band_from", useParameter("pad", "band_from")],
    ["band_to", useParameter("pad", "band_to")],
  ];
  const own: ["delay" | "softest" | "hardest", Parameter][] = [
    ["delay", useParameter("layer", "delay")],
    ["softest", useParameter("layer", "softest")],
    ["hardest", useParameter("layer", "hardest")],
  ];
  return (
    <div
      role="group"
      aria-label={`Layer ${name}`}
      className="flex flex-wrap items-center gap-x-3 gap-y-0.5 border-t border-rule py-1 text-[12px]"
    >
      <b className="w-[80px] truncate font-semibold">{name}</b>
      {parameters.map(([field, parameter]) => (
        <label key={field} className="inline-flex items-center gap-1">
          <span className="text-ink2">{parameter.label.toLowerCase()}</span>
          <NumberField
            parameter={parameter}
            label={`${parameter.label} of the layer ${name}`}
            value={sound[field] as number}
            onChange={(value, gesture) =>
              void edit({ type: "set_layer", pad: index, layer: number, sound: { [field]: value } }, gesture)
            }
          />
        </label>
      ))}
      {own.map(([field, parameter]) => (
        <label key={field} className="inline-flex items-center gap-1">
          <span className="text-ink2">{parameter.label.toLowerCase()}</span>
          <NumberField
            parameter={parameter}
            label={`${parameter.label} of the layer ${name}`}
            value={layer[field]}
            onChange={(value, gesture) =>
              void edit({ type: "set_layer", pad: index, layer: number, [field]: value }, gesture)
            }
          />
        </label>
      ))}
      <Menu
        label={`When the layer ${name} sounds`}
        trigger={<Button>{WHEN.find(([value]) => value === layer.when)?.[1]} ▾</Button>}
        items={WHEN.map(([value, label]) => ({
          label,
          checked: value === layer.when,
          onSelect: () => void edit({ type: "set_layer", pad: index, layer: number, when: value }),
        }))}
      />
      <Button
        tone="quiet"
        aria-label={`Take the layer ${name} off`}
        onClick={() => void edit({ type: "set_layer", pad: index, layer: number, remove: true })}
      >
        ×
      </Button>
    </div>
  );
}
