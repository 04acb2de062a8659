/** Settings of the chosen pad, or of several at once. */
import { useRef, useState } from "react";

import type { Pocket } from "../api/types";
import { edit } from "../app/edits";
import { changeOf, type Field, setEach } from "../app/shaping";
import { takeMove } from "../app/taking";
import { useParameter } from "../app/about";
import { usePocket } from "../app/pocket";
import { soundOf } from "../app/sounds";
import { useView } from "../app/view";
import { EditableName } from "../design/EditableName";
import { seconds } from "../design/format";
import { Dots } from "../design/Menu";
import { clampTo } from "../design/NumberField";
import { Pair } from "../design/Pair";
import { Toggle } from "../design/Toggle";
import { PAGE, useKeyNames } from "./keys";
import { PadMore } from "./PadMore";
import { PadSound } from "./PadSound";
import { type PadChange, PadSwitches } from "./PadSwitches";
import { padItems, showInChop } from "./choosing";

export function PadSettings({ pads, pocket }: { pads: number[]; pocket: Pocket }) {
  const [renaming, setRenaming] = useState(false);
  const names = useKeyNames((s) => s.names);
  const [level, pitch, fade] = [
    useParameter("pad", "level"),
    useParameter("pad", "pitch"),
    useParameter("pad", "fade_out"),
  ];
  const first = pads[0] as number;
  const bus = usePocket((s) => s.open?.sounds?.voices[first]?.bus);
  const together = useView((s) => s.together);
  const bases = useRef(new Map<string, Record<number, number>>());
  const pad = pocket.pads[first];
  if (!pad) return null;
  const sound = soundOf(pad.sound);
  const many = pads.length > 1;
  const ranges = { level, pitch, fade_out: fade };
  const source = pocket.sources[pad.chop.source];
  /** A number of several pads: each moved by as much from where the gesture found it, or all the same. */
  function number(field: Field, value: number, gesture: string) {
    if (!many || together === "alike") return changeOf(pads)({ [field]: value }, gesture);
    if (takeMove(pads, { [field]: value })) return;
    if (!bases.current.has(gesture)) {
      bases.current.clear();
      bases.current.set(
        gesture,
        Object.fromEntries(pads.map((index) => [index, soundOf(pocket.pads[index]?.sound ?? {})[field]])),
      );
    }
    const base = bases.current.get(gesture) ?? {};
    const by = value - (base[first] ?? 0);
    const values = Object.fromEntries(pads.map((index) => [index, clampTo(ranges[field], (base[index] ?? 0) + by)]));
    setEach(field, values, gesture);
  }
  const change: PadChange = (changes) => void edit({ type: "set_pads", pads, ...changes });

  return (
    <div className="mt-3 border-t border-rule pt-2.5" data-testid="pad-settings">
      <div className="mb-1 flex items-center gap-1.5">
        <span className="title shrink-0 text-[14px]">{many ? `${pads.length} pads` : `${names[first % PAGE]} ·`}</span>
        {many ? null : (
          <EditableName
            className="title text-[14px]"
            mayBeEmpty
            label="Name of the pad"
            value={pad.called}
            editing={renaming}
            onEditing={setRenaming}
            onChange={(name) => change({ name })}
          />
        )}
        <span className="grow" />
        <Dots name="Menu of the pad" label="What to do with the pads" items={padItems(pads)} />
      </div>
      {many ? (
        <div className="mb-1.5 flex items-center gap-1.5 text-[11.5px] text-ink2">
          <span className="grow">All {pads.length} change; shown is the first.</span>
          <Toggle
            on={together === "by"}
            onChange={(on) => useView.getState().look({ together: on ? "by" : "alike" })}
            hint="On: level, pitch and fade of each move by as much. Off: all get the same value"
          >
            Each by as much
          </Toggle>
        </div>
      ) : (
        <button
          type="button"
          title="Show it in Chop"
          className="mb-1.5 block truncate text-[11.5px] text-ink2 underline decoration-rule underline-offset-2 hover:decoration-ink"
          onClick={() => showInChop(first)}
        >
          {source?.name}, {seconds((pad.chop.end - pad.chop.start) / pocket.rate)}
        </button>
      )}
      <Row field="level" value={sound.level} change={number} />
      <Row field="pitch" value={sound.pitch} change={number} />
      <Row field="fade_out" value={sound.fade_out} change={number} />
      <PadSound pads={pads} pad={pad} pocket={pocket} />
      <PadSwitches pad={pad} sound={sound} pocket={pocket} bus={bus} change={change} />
      <PadMore pads={pads} sound={sound} />
    </div>
  );
}

function Row({
  field,
  value,
  change,
}: {
  field: Field;
  value: number;
  change: (field: Field, value: number, gesture: string) => void;
}) {
  const parameter = useParameter("pad", field);
  return (
    <div className="grid grid-cols-[62px_1fr_76px] items-center gap-2 text-[12px]">
      <span>{parameter.label}</span>
      <Pair parameter={parameter} value={value} onChange={(v, gesture) => change(field, v, gesture)} />
    </div>
  );
}
