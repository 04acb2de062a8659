/** Cards that are mostly rows of settings. */
import { useQuery } from "@tanstack/react-query";

import { api, ask } from "../../api/client";
import type { FullSound, SettingInfo, ShapeReply } from "../../api/types";
import { useAbout } from "../../app/about";
import { edit } from "../../app/edits";
import { usePocket } from "../../app/pocket";
import { Button } from "../../design/Button";
import { fixed } from "../../design/format";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";
import { Toggle } from "../../design/Toggle";
import { Picture } from "../mix/EffectPicture";
import type { Change } from "../../app/shaping";
import { Choices, Settings } from "../../pads/Settings";

interface Props {
  sound: FullSound;
  change: Change;
}
const TWO = "grid grid-cols-2 gap-x-6 gap-y-0.5";

export function ChopCard({ sound, change, index }: Props & { index: number }) {
  return (
    <>
      <div className="mb-1.5 flex flex-wrap items-center gap-1.5">
        <Choices group="chop" name="play" sound={sound} change={change} />
        <Toggle on={sound.reverse} onChange={(reverse) => change({ reverse })}>
          Reverse
        </Toggle>
        <Toggle
          on={sound.normalise}
          onChange={(normalise) => change({ normalise })}
          hint="Its loudest sample at full scale, before its level"
        >
          Normalise
        </Toggle>
        <Toggle on={sound.flip} onChange={(flip) => change({ flip })} hint="Turn the wave upside down">
          Flip polarity
        </Toggle>
      </div>
      <div className={TWO}>
        <Settings
          group="chop"
          names={["level", "pan", "start", "end", "fade_in", "fade_out", "band_from", "band_to"]}
          sound={sound}
          change={change}
        />
      </div>
      {sound.play === "loop" ? (
        <div className="mt-2 border-t border-rule pt-1.5">
          <div className="mb-1.5 flex flex-wrap items-center gap-1.5">
            <Choices group="chop" name="loop_way" sound={sound} change={change} />
            <LoopProposals index={index} change={change} />
          </div>
          <div className={TWO}>
            <Settings group="chop" names={["loop_from", "loop_to", "loop_fade"]} sound={sound} change={change} />
          </div>
        </div>
      ) : null}
    </>
  );
}

export function EnvelopeCard({ sound, change }: Props) {
  return (
    <>
      <div className={TWO}>
        <Settings
          group="envelope"
          names={["attack", "attack_bend", "hold", "sustain", "decay", "decay_bend", "release"]}
          sound={sound}
          change={change}
        />
      </div>
      <div className="mt-1.5">
        <Toggle
          on={sound.anew}
          onChange={(anew) => change({ anew })}
          hint="The envelope begins again at every cut inside the chop"
        >
          Anew at transients
        </Toggle>
      </div>
    </>
  );
}

/** The best places for a loop, as the core finds them. */
function LoopProposals({ index, change }: { index: number; change: Change }) {
  const id = usePocket((s) => s.open?.id ?? "");
  const chop = usePocket((s) => JSON.stringify(s.open?.pocket.pads[index]?.chop));
  const found = useQuery({
    queryKey: ["loops", id, index, chop],
    queryFn: () =>
      ask(api.GET("/api/pockets/{pocket}/pads/{pad}/loops", { params: { path: { pocket: id, pad: index } } })),
    staleTime: 60_000,
    retry: false,
  }).data;
  if (!found) return <span className="text-[12px] text-ink2">Looking for places ...</span>;
  if (!found.loops.length) return <span className="text-[12px] text-ink2">No place in it repeats.</span>;
  return found.loops.map((one) => (
    <Button
      key={`${one.start_ms} ${one.end_ms}`}
      hint={one.cycle ? "One wave of its tone" : "The end and the beginning are this alike"}
      onClick={() => change({ loop_from: one.start_ms, loop_to: one.end_ms, ...(one.cycle ? { loop_fade: 0 } : {}) })}
    >
      {one.cycle ? "single cycle" : `${fixed(one.end_ms - one.start_ms, 0)} ms, ${Math.round(one.fit * 100)} %`}
    </Button>
  ));
}

export function PitchCard({ sound, change, shape, pads }: Props & { shape: ShapeReply | undefined; pads: number[] }) {
  const beats = shape?.beats;
  const apart = sound.time !== "repitch";
  return (
    <>
      <div className="mb-1.5 flex flex-wrap items-center gap-1.5">
        <Choices group="pitch" name="time" sound={sound} change={change} />
        {apart ? <Choices group="pitch" name="protect" sound={sound} change={change} /> : null}
        {beats && !(sound.time === "fit" && sound.beats === beats) ? (
          <Button
            hint="As many beats as it has on its record's grid, at the pocket's tempo"
            onClick={() => change({ time: "fit", beats })}
          >
            Fit its {beats} {beats === 1 ? "beat" : "beats"}
          </Button>
        ) : null}
        <span className="grow" />
        {shape?.note ? (
          <Button
            hint="Moves its pitch by the cents that it is off its note"
            onClick={() => void edit({ type: "find_root", pads, tune: true })}
          >
            Tune to {shape.note}
          </Button>
        ) : null}
        {shape && shape.shift !== null && Math.abs(shape.shift) >= 0.01 ? (
          <Button
            tone="solid"
            hint="The fewest semitones that bring it into the pocket's key"
            onClick={() => void edit({ type: "fit_to_key", pads })}
          >
            Into the key: {shape.shift > 0 ? "+" : "−"}
            {fixed(Math.abs(shape.shift), 2)} st
          </Button>
        ) : null}
      </div>
      <div className={TWO}>
        <Settings
          group="pitch"
          names={[
            "pitch",
            "formant",
            ...(sound.time === "keep" ? ["speed"] : []),
            ...(sound.time === "fit" ? ["beats"] : []),
          ]}
          sound={sound}
          change={change}
        />
      </div>
      <div className="mt-2 border-t border-rule pt-1.5">
        <div className="mb-1 flex flex-wrap items-center gap-1.5 text-[12px] text-ink2">
          A voice is pulled to its notes: <Choices group="pitch" name="tune" sound={sound} change={change} />
        </div>
        {sound.tune === "off" ? null : (
          <div className={TWO}>
            <Settings group="pitch" names={["tune_strength", "tune_ms"]} sound={sound} change={change} />
          </div>
        )}
      </div>
      <div className="mt-2 border-t border-rule pt-1.5">
        <p className="mb-1 text-[12px] text-ink2">One part of it with a pitch, level and time of its own:</p>
        <div className={TWO}>
          <Settings
            group="pitch"
            names={["part_from", "part_to", "part_pitch", "part_level", "part_time"]}
            sound={sound}
            change={change}
          />
        </div>
      </div>
    </>
  );
}

export function FilterCard({ sound, change }: Props) {
  const off = sound.filter === "off";
  const query = { kind: sound.filter, slope: sound.slope, cutoff: sound.cutoff, resonance: sound.resonance };
  const picture = useQuery({
    queryKey: ["filter", query],
    queryFn: () => ask(api.GET("/api/shape/filter", { params: { query } })),
    enabled: !off,
    staleTime: Infinity,
    gcTime: 10_000,
    placeholderData: (before) => before,
  }).data;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_230px] gap-4">
      <div>
        <div className="mb-1.5 flex flex-wrap items-center gap-3">
          <Choices group="filter" name="filter" sound={sound} change={change} />
          {off ? null : <Choices group="filter" name="slope" sound={sound} change={change} />}
        </div>
        <Settings
          group="filter"
          names={
            off
              ? ["drive"]
              : [
                  "cutoff",
                  "resonance",
                  "drive",
                  "filter_key",
                  "filter_amount",
                  ...(sound.filter_amount ? ["filter_attack", "filter_decay", "filter_sustain"] : []),
                ]
          }
          sound={sound}
          change={change}
        />
      </div>
      {off || !picture ? <span /> : <Picture data={picture} label="What the filter lets through" />}
    </div>
  );
}

const MOVABLE = (setting: SettingInfo) => setting.kind === "number" && setting.name !== "wheel";

export function MotionCard({ sound, change, pads }: Props & { pads: number[] }) {
  const lfo = (n: 1 | 2) => {
    const synced = sound[`lfo${n}_synced`];
    return (
      <div>
        <div className="mb-1 flex flex-wrap items-center gap-1.5">
          <Choices group="motion" name={`lfo${n}_shape`} sound={sound} change={change} />
        </div>
        <div className="mb-1 flex gap-1.5">
          <Toggle
            on={synced}
            onChange={(on) => change({ [`lfo${n}_synced`]: on })}
            hint="In beats, along with the tempo"
          >
            Synced
          </Toggle>
          <Toggle
            on={sound[`lfo${n}_free`]}
            onChange={(on) => change({ [`lfo${n}_free`]: on })}
            hint="Goes on between hits; off: every hit begins it anew"
          >
            Runs free
          </Toggle>
        </div>
        <Settings
          group="motion"
          names={[
            synced ? `lfo${n}_beats` : `lfo${n}_hz`,
            `lfo${n}_level`,
            `lfo${n}_pan`,
            `lfo${n}_pitch`,
            `lfo${n}_cutoff`,
          ]}
          sound={sound}
          change={change}
        />
      </div>
    );
  };
  return (
    <>
      <div className="grid grid-cols-2 gap-x-6">
        {lfo(1)}
        {lfo(2)}
      </div>
      <div className="mt-2 grid grid-cols-2 gap-x-6 border-t border-rule pt-1.5">
        <div>
          <h4 className="text-[12px] text-ink2">Envelope of the pitch</h4>
          <Settings
            group="motion"
            names={["pitch_amount", "pitch_attack", "pitch_decay"]}
            sound={sound}
            change={change}
          />
        </div>
        <div>
          <h4 className="text-[12px] text-ink2">One more envelope</h4>
          <Settings
            group="motion"
            names={[
              "motion_attack",
              "motion_decay",
              "motion_sustain",
              "motion_pitch",
              "motion_cutoff",
              "motion_drive",
              "motion_pan",
            ]}
            sound={sound}
            change={change}
          />
        </div>
      </div>
      <div className="mt-2 grid grid-cols-2 gap-x-6 border-t border-rule pt-1.5">
        <Amounts by="velocity" text="A soft hit moves down" sound={sound} pads={pads} />
        <div>
          <Amounts by="wheel" text="The wheel moves" sound={sound} pads={pads} />
          <Settings group="motion" names={["wheel"]} sound={sound} change={change} />
        </div>
      </div>
    </>
  );
}

const AMOUNT = {
  name: "amount",
  label: "Amount",
  unit: "%",
  low: -100,
  high: 100,
  default: 0,
  step: 5,
  digits: 0,
  help: "In % of its range",
  curve: "linear" as const,
};

function Amounts({
  by,
  text,
  sound,
  pads,
}: {
  by: "velocity" | "wheel";
  text: string;
  sound: FullSound;
  pads: number[];
}) {
  const table = useAbout()?.settings.pad ?? [];
  const amounts = by === "velocity" ? sound.by_velocity : sound.by_wheel;
  const set = (name: string, amount: number | null, gesture: string | null = null) =>
    void edit({ type: "set_amounts", pads, by, amounts: { [name]: amount } }, gesture);
  const label = (setting: SettingInfo) => `${GROUP_OF[setting.name.split("_")[0] ?? ""] ?? ""}${setting.label}`;
  return (
    <div className="flex flex-wrap items-center gap-1.5 text-[12px]">
      <span className="text-ink2">{text}:</span>
      {Object.entries(amounts).map(([name, amount]) => {
        const setting = table.find((one) => one.name === name);
        return (
          <span key={name} className="inline-flex items-center gap-1">
            {setting ? label(setting) : name}
            <NumberField
              parameter={AMOUNT}
              label={`${by} moves ${setting?.label ?? name}`}
              value={amount}
              onChange={(value, gesture) => set(name, value, gesture)}
            />
          </span>
        );
      })}
      <Menu
        label={`What ${by} moves`}
        trigger={<Button aria-label={`Let ${by} move a setting`}>+</Button>}
        items={table.filter(MOVABLE).map((setting) => ({
          label: label(setting),
          checked: setting.name in amounts,
          onSelect: () => set(setting.name, setting.name in amounts ? null : 30),
        }))}
      />
    </div>
  );
}

const GROUP_OF: Record<string, string> = {
  lfo1: "First wave, ",
  lfo2: "Second wave, ",
  filter: "Filter, ",
  motion: "Envelope, ",
  pitch: "",
  part: "",
  loop: "",
  band: "",
};
