/** Whose sound it is; before and after at equal loudness; presets, copies, print. */
import { create } from "zustand";

import type { Pad, Pocket, ShapeReply } from "../../api/types";
import { useAbout } from "../../app/about";
import { edit } from "../../app/edits";
import { print } from "../../app/printing";
import { useView } from "../../app/view";
import { toggleNotes } from "../../pads/notes";
import { voices } from "../../audio/voices";
import { Button } from "../../design/Button";
import { fixed, seconds } from "../../design/format";
import { Menu } from "../../design/Menu";
import { Name } from "../../design/Name";
import { Toggle } from "../../design/Toggle";
import { pressPad } from "../../pads/press";
import { useTying } from "../../pads/ties";
import { lastChanged } from "../../app/shaping";
import { noteName } from "./summaries";

type Group = "chop" | "pitch" | "envelope" | "filter" | "motion" | "tone" | "keys" | "layers";
const GROUPS: [Group, string][] = [
  ["chop", "Chop"],
  ["pitch", "Pitch and time"],
  ["envelope", "Envelope"],
  ["filter", "Filter"],
  ["motion", "Motion"],
  ["tone", "Tone"],
  ["layers", "Layers"],
  ["keys", "Keys"],
];

/** The pad whose settings were copied. */
const useCopied = create<{ pad: number | null }>(() => ({ pad: null }));

export function ShapeHead({
  index,
  pads,
  pad,
  pocket,
  shape,
}: {
  index: number;
  pads: number[];
  pad: Pad;
  pocket: Pocket;
  shape: ShapeReply | undefined;
}) {
  const about = useAbout();
  const copied = useCopied((s) => s.pad);
  const from = copied !== null && copied !== index ? pocket.pads[copied] : undefined;
  const notesOn = useView((s) => s.notesOn);
  const source = pocket.sources[pad.chop.source];
  const told = [
    pads.length > 1
      ? `${pads.length} pads change together`
      : `${source?.name ?? ""}, ${seconds((pad.chop.end - pad.chop.start) / pocket.rate)}`,
    shape?.note
      ? `${shape.note} ${shape.cents !== null && shape.cents >= 0 ? "+" : "−"}${fixed(Math.abs(shape.cents ?? 0), 0)} ct`
      : null,
    pad.sound.root !== undefined ? `root ${noteName(pad.sound.root)}` : null,
  ];
  return (
    <div className="mb-1.5 flex flex-wrap items-center gap-x-2 gap-y-1">
      <h2 className="title min-w-0 max-w-[210px] text-[18px]">
        <Name text={pad.called} />
      </h2>
      <span className="min-w-0 truncate text-[12px] text-ink2">{told.filter(Boolean).join(" · ")}</span>
      <span className="grow" />
      <Button
        hint="The chop as it is in its record, as loud as it sounds now"
        onClick={() => shape && void voices.audition(source?.audio ?? "", shape.start, shape.end, shape.louder_db)}
      >
        Raw
      </Button>
      <Button tone="solid" hint="As it sounds now" onClick={() => pressPad(index)}>
        Shaped
      </Button>
      <Toggle on={notesOn} onChange={toggleNotes} keys="I" hint="The keys play notes of this pad">
        Notes
      </Toggle>
      <Tie />
      <Menu
        label="Presets"
        trigger={<Button hint="A few settings to begin from; the rest stays as it is">Preset ▾</Button>}
        items={(about?.presets ?? []).map(({ name, settings }) => ({
          label: (
            <span className="flex flex-col">
              <span>{name}</span>
              <span className="text-[11px] opacity-75">{told_(settings, about?.settings.pad ?? [])}</span>
            </span>
          ),
          onSelect: () => void edit({ type: "set_pads", pads, sound: settings }),
        }))}
      />
      <Menu
        label="Copy and paste settings"
        trigger={<Button hint="Settings of one pad for another; nothing is shared after">Copy ▾</Button>}
        items={[
          { label: `Copy the settings of ${pad.called}`, onSelect: () => useCopied.setState({ pad: index }) },
          null,
          {
            label: from ? `Paste all of ${from.called}` : "Paste: copy another pad first",
            disabled: !from,
            onSelect: () => from && void edit({ type: "copy_sound", pad: copied as number, pads }),
          },
          ...(from
            ? GROUPS.map(([group, label]) => ({
                label: `Paste ${label.toLowerCase()}`,
                onSelect: () => void edit({ type: "copy_sound", pad: copied as number, pads, groups: [group] }),
              }))
            : []),
          null,
          {
            label: "Put all back as it was in the record",
            onSelect: () =>
              void edit({
                type: "set_pads",
                pads,
                sound: Object.fromEntries((about?.settings.pad ?? []).map(({ name }) => [name, null])),
              }),
          },
        ]}
      />
      <Menu
        label="Print"
        trigger={<Button hint="Its sound as a new find, with where it came from">Print ▾</Button>}
        items={[
          { label: "As it sounds", onSelect: () => void print({ what: "pad", pad: index, ending: "ring" }) },
          ...TURNED.map((transform) => ({
            label: `As a ${transform}`,
            onSelect: () => void print({ what: "pad", pad: index, ending: "ring", transform }),
          })),
          null,
          {
            label: "Its notes, one after the other",
            onSelect: () => void print({ what: "keys", pad: index, ending: "ring" }),
          },
        ]}
      />
    </div>
  );
}

/** What a sound is turned into in one step. */
const TURNED = ["reversed reverb", "riser", "stutter", "half speed"] as const;

/** The next knob that is moved is tied to the setting that was changed last. */
function Tie() {
  const waiting = useTying((s) => s.waiting);
  const last = lastChanged();
  return (
    <Toggle
      on={waiting}
      onChange={(on) => useTying.setState({ waiting: on })}
      hint="Change a setting, press this, move a knob, wheel or pedal: it moves that setting from now on"
    >
      {waiting ? (last ? "Move a knob" : "Change a setting first") : "Tie"}
    </Toggle>
  );
}

function told_(settings: Record<string, number | boolean | string>, table: { name: string; label: string }[]): string {
  return Object.entries(settings)
    .map(
      ([name, value]) =>
        `${table.find((one) => one.name === name)?.label.toLowerCase() ?? name} ${typeof value === "number" ? Math.round(value * 100) / 100 : value === true ? "on" : String(value)}`,
    )
    .join(", ");
}
