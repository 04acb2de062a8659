/** Shape: make a chop one's own, and play it across the keys. */
import { useEffect } from "react";

import type { Pad, Pocket } from "../../api/types";
import { useAbout } from "../../app/about";
import { usePocket } from "../../app/pocket";
import { soundOf } from "../../app/sounds";
import { type ShapeCard, useView } from "../../app/view";
import { instrument } from "../../audio/instrument";
import { Button } from "../../design/Button";
import { Card } from "./Card";
import { ChopCard, EnvelopeCard, FilterCard, MotionCard, PitchCard } from "./cards";
import { KeysCard } from "./KeysCard";
import { KeyStrip } from "./KeyStrip";
import { LayersCard } from "./LayersCard";
import { changeOf } from "../../app/shaping";
import { ShapeHead } from "./ShapeHead";
import { ShapeWave } from "./ShapeWave";
import { summary } from "./summaries";
import { ToneCard } from "./ToneCard";
import { useShape } from "./useShape";

const CARDS: [ShapeCard, string][] = [
  ["chop", "Chop"],
  ["pitch", "Pitch and time"],
  ["envelope", "Envelope"],
  ["filter", "Filter"],
  ["motion", "Motion"],
  ["tone", "Tone"],
  ["layers", "Layers"],
  ["keys", "Keys"],
];

export function Shape() {
  const pocket = usePocket((s) => s.open?.pocket);
  const chosen = useView((s) => s.pads);
  if (!pocket) return null;
  const filled = Object.keys(pocket.pads).map(Number);
  const pads = chosen.filter((index) => pocket.pads[index]);
  const first = pads[0] ?? (filled.length ? Math.min(...filled) : undefined);
  const pad = first === undefined ? undefined : pocket.pads[first];
  if (first === undefined || !pad)
    return (
      <div className="m-4 rounded-[4px] border border-dashed border-ink2 p-6 text-ink2">
        <p className="mb-3">
          Nothing on the pads yet: put some slices there in Chop. Then each can be made your own here.
        </p>
        <Button tone="solid" onClick={() => useView.getState().look({ station: "chop" })}>
          To Chop
        </Button>
      </div>
    );
  return <OfPad key={first} index={first} pads={pads.length ? pads : [first]} pad={pad} pocket={pocket} />;
}

function OfPad({ index, pads, pad, pocket }: { index: number; pads: number[]; pad: Pad; pocket: Pocket }) {
  const about = useAbout();
  const id = usePocket((s) => s.open?.id ?? "");
  const key = usePocket((s) => s.open?.sounds?.voices[index]?.key);
  const notesOn = useView((s) => s.notesOn);
  const card = useView((s) => s.card);
  const shape = useShape(index);
  const sound = soundOf(pad.sound);
  const change = changeOf(pads);
  const playing = notesOn || card === "keys";
  useEffect(() => {
    // The pad may have been cleared since: then there is nothing to prepare.
    if (playing && key)
      instrument.prepare(id, index, key, sound, () => useView.getState().notesOn).catch(() => undefined);
  }, [playing, notesOn, id, index, key, sound]);
  if (!about) return null;

  const inside = (which: ShapeCard) => {
    const props = { sound, change };
    if (which === "chop") return <ChopCard {...props} index={index} />;
    if (which === "pitch") return <PitchCard {...props} shape={shape} pads={pads} />;
    if (which === "envelope") return <EnvelopeCard {...props} />;
    if (which === "filter") return <FilterCard {...props} />;
    if (which === "motion") return <MotionCard {...props} pads={pads} />;
    if (which === "tone") return <ToneCard index={index} pad={pad} pocket={pocket} />;
    if (which === "layers") return <LayersCard index={index} pad={pad} pocket={pocket} />;
    return <KeysCard {...props} index={index} pad={pad} pocket={pocket} shape={shape} />;
  };

  return (
    <div className="flex min-h-0 grow flex-col px-4 pt-2">
      <ShapeHead index={index} pads={pads} pad={pad} pocket={pocket} shape={shape} />
      <ShapeWave index={index} pad={pad} sound={sound} shape={shape} rate={pocket.rate} change={change} />
      {playing ? (
        <KeyStrip
          index={index}
          root={Math.round(sound.root)}
          zones={pad.zones.map(({ root }) => root)}
          off={
            typeof shape?.key !== "number"
              ? null
              : (shape.key + (shape.cents ?? 0) / 100 + sound.pitch - sound.root) * 100
          }
        />
      ) : null}
      <div className="thin-scroll mt-2 flex min-h-0 grow flex-col gap-1.5 overflow-auto pb-3 [&>*]:shrink-0">
        {CARDS.map(([which, title]) => (
          <Card key={which} card={which} title={title} line={summary(which, sound, pad, about)}>
            {() => inside(which)}
          </Card>
        ))}
      </div>
    </div>
  );
}
