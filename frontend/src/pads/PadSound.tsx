/** What a pad plays: which of the family, which slice, what sounds like it, and its layers. */

import type { Pad, Pocket } from "../api/types";
import { useParameter } from "../app/about";
import { keepOnShelf, stepLike, stepPad } from "../app/chopping";
import { edit } from "../app/edits";
import { familyOf } from "../app/family";
import { Button } from "../design/Button";
import { Menu } from "../design/Menu";
import { NumberField } from "../design/NumberField";
import { Toggle } from "../design/Toggle";

export function PadSound({ pads, pad, pocket }: { pads: number[]; pad: Pad; pocket: Pocket }) {
  const source = pocket.sources[pad.chop.source];
  const first = pads[0] as number;
  const one = pads.length === 1;
  const family = source ? familyOf(pocket, source) : [];
  return (
    <div className="mt-1.5 flex flex-wrap items-center gap-1.5">
      {family.length > 1 ? (
        <Menu
          label="The same slice of"
          trigger={<Button hint="The same seconds of the mix, a stem or a cleaned copy">{source?.name} ▾</Button>}
          items={family.map((other) => ({
            label: other.name,
            checked: other.id === source?.id,
            onSelect: () => void edit({ type: "switch_sound", pads, source: other.id }),
          }))}
        />
      ) : null}
      {one ? (
        <>
          <Stepper label="Slice" keys="Y" hint="of its find, while all plays on" step={(way) => stepPad(first, way)} />
          <Stepper
            label="Like it"
            keys="U"
            hint="that sounds like it, of any find"
            step={(way) => void stepLike(first, way)}
          />
        </>
      ) : null}
      <Toggle
        on={pad.locked}
        onChange={(locked) => void edit({ type: "set_pads", pads, locked })}
        hint="No slice takes its place"
      >
        Lock
      </Toggle>
      <Button hint="Saved on the shelf under the finds, for every pocket" onClick={() => void keepOnShelf(pads)}>
        Save to shelf
      </Button>
      {one
        ? pad.layers.map((layer, i) => (
            <LayerRow
              key={i}
              pad={first}
              index={i}
              name={layer.name || pocket.sources[layer.chop.source]?.name || ""}
              level={layer.sound.level ?? 0}
            />
          ))
        : null}
      {one && pad.takes.length ? (
        <span className="text-[11.5px] text-ink2">{pad.takes.length + 1} chops of it, one for each hit</span>
      ) : null}
    </div>
  );
}

function Stepper({
  label,
  hint,
  keys,
  step,
}: {
  label: string;
  hint: string;
  keys: string;
  step: (way: 1 | -1) => void;
}) {
  return (
    <span className="inline-flex items-center rounded-[3px] border-[1.3px] border-ink bg-card text-[12px]">
      <Button
        tone="quiet"
        className="!px-1.5 !py-[2px]"
        keys={`Shift ${keys}`}
        hint={`The one before ${hint}`}
        aria-label={`${label}: the one before`}
        onClick={() => step(-1)}
      >
        ‹
      </Button>
      {label}
      <Button
        tone="quiet"
        className="!px-1.5 !py-[2px]"
        keys={keys}
        hint={`The next ${hint}`}
        aria-label={`${label}: the next`}
        onClick={() => step(1)}
      >
        ›
      </Button>
    </span>
  );
}

function LayerRow({ pad, index, name, level }: { pad: number; index: number; name: string; level: number }) {
  const parameter = useParameter("pad", "level");
  return (
    <span className="flex w-full items-center gap-1.5 text-[12px]" data-layer={index}>
      <span aria-hidden>+</span>
      <span className="min-w-0 grow truncate">{name}</span>
      <NumberField
        align="right"
        parameter={parameter}
        value={level}
        label={`Level of the layer ${name}`}
        onChange={(value, gesture) =>
          void edit({ type: "set_layer", pad, layer: index, sound: { level: value } }, gesture)
        }
      />
      <button
        type="button"
        aria-label={`Take the layer ${name} off`}
        className="rounded-[2px] px-1 text-ink2 hover:bg-well"
        onClick={() => void edit({ type: "set_layer", pad, layer: index, remove: true })}
      >
        ×
      </button>
    </span>
  );
}
