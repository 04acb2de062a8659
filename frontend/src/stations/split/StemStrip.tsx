/** A stem under its record's wave: mute, solo, level, place, three bands, and what of it is not its own. */
import { useState } from "react";

import type { Parameter, Source } from "../../api/types";
import { showSource } from "../../app/actions";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { saveFinds } from "../../app/files";
import { useView } from "../../app/view";
import { Dots } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";
import { Playhead } from "../../design/Playhead";
import { roleColor } from "../../design/roles";
import { Slider } from "../../design/Slider";
import { MiniWave } from "../../wave/MiniWave";
import { partOf, setStem, settingOf, useBalance } from "./balance";
import { LeakMeter, LeakPanel, PaleLeak } from "./Leak";

const COLORS: Record<string, Parameters<typeof roleColor>[0]> = {
  drums: "kick",
  bass: "hat",
  vocals: "vocal",
  other: "tonal",
  kick: "kick",
  snare: "snare",
  hats: "hat",
};
const BANDS = ["low", "middle", "high"] as const;
const band = (name: string): Parameter => ({
  name,
  label: name,
  unit: "dB",
  low: -18,
  high: 18,
  default: 0,
  step: 0.5,
  digits: 1,
  help: "",
  curve: "linear",
});

export function StemStrip({
  stem,
  root,
  members,
  at,
  moving,
  rate,
}: {
  stem: Source;
  root: Source;
  members: Source[];
  at: () => number | null;
  moving: boolean;
  rate: number;
}) {
  const [moves, setMoves] = useState(false);
  const set = useBalance((s) => settingOf(s.stems, stem.audio));
  const level = { ...useParameter("bus", "level"), help: "Loudness of the stem" };
  const pan = useParameter("bus", "pan");
  const part = partOf(stem);
  const offset = stem.kin?.offset ?? 0;
  const [left, wide] = [(100 * offset) / root.frames, (100 * stem.frames) / root.frames];
  const pale = set.mute;
  const look = (on: boolean) =>
    `h-[19px] w-[19px] rounded-[2px] border-[1.2px] border-ink text-[11px] font-bold ${on ? "bg-ink text-card" : "bg-card hover:bg-well"}`;
  return (
    <section aria-label={`Stem ${part}`} className="border-b border-rule py-1.5">
      <div className="grid grid-cols-[150px_minmax(0,1fr)] items-center">
        <div className="flex items-center gap-1 pr-2">
          <button
            type="button"
            title="Open it as a find"
            className="title min-w-0 grow truncate text-left text-[13px] hover:underline"
            onClick={() => showSource(stem.id)}
          >
            {part}
          </button>
          <button
            type="button"
            aria-label={`Mute ${part}`}
            aria-pressed={set.mute}
            className={look(set.mute)}
            onClick={() => setStem(stem.audio, { mute: !set.mute })}
          >
            M
          </button>
          <button
            type="button"
            aria-label={`Solo ${part}`}
            aria-pressed={set.solo}
            className={look(set.solo)}
            onClick={() => setStem(stem.audio, { solo: !set.solo })}
          >
            S
          </button>
          <Dots
            name={`Menu of ${part}`}
            label={`${part}: what to do`}
            items={[
              { label: "Open it in Chop", onSelect: () => chop(stem) },
              { label: "Solo it alone", onSelect: () => alone(stem.audio) },
              {
                label: `Hear the record without ${part}`,
                onSelect: () => useBalance.setState({ compare: { without: stem.id } }),
              },
              { label: "Move a leak…", onSelect: () => setMoves(true) },
              { label: "Save as a file", onSelect: () => void saveFinds([stem.id]) },
              {
                label: "As it was made",
                onSelect: () => setStem(stem.audio, { level: 0, pan: 0, low: 0, middle: 0, high: 0 }),
              },
              null,
              { label: "Discard it", onSelect: () => void edit({ type: "remove_source", source: stem.id }) },
            ]}
          />
        </div>
        <div className="relative overflow-hidden" style={{ opacity: pale ? 0.35 : 1 }}>
          <div className="relative" style={{ marginLeft: `${left}%`, width: `${wide}%` }}>
            <MiniWave
              hash={stem.audio}
              frames={stem.frames}
              start={0}
              end={stem.frames}
              height={46}
              color={roleColor(COLORS[part] ?? null)}
            />
            <PaleLeak stem={stem} rate={rate} />
          </div>
          <Playhead moving={moving} at={at} />
        </div>
      </div>
      <div className="mt-0.5 grid grid-cols-[150px_minmax(0,1fr)] items-center">
        <LeakMeter stem={stem} />
        <div className="col-start-2 flex flex-wrap items-center gap-x-3 gap-y-0.5 text-[12px]">
          <span className="text-[11.5px] text-ink2">level</span>
          <span className="w-24">
            <Slider
              parameter={level}
              label={`Level of ${part}`}
              value={set.level}
              onChange={(value) => setStem(stem.audio, { level: value })}
            />
          </span>
          <NumberField
            parameter={level}
            label={`Level of ${part}`}
            value={set.level}
            onChange={(value) => setStem(stem.audio, { level: value })}
          />
          <span className="text-[11.5px] text-ink2">pan</span>
          <NumberField
            parameter={pan}
            label={`Pan of ${part}`}
            value={set.pan}
            onChange={(value) => setStem(stem.audio, { pan: value })}
          />
          {BANDS.map((name) => (
            <span key={name} className="inline-flex items-center gap-1">
              <span className="text-[11.5px] text-ink2">{name}</span>
              <NumberField
                parameter={band(name)}
                label={`${name} of ${part}`}
                value={set[name]}
                onChange={(value) => setStem(stem.audio, { [name]: value })}
              />
            </span>
          ))}
        </div>
      </div>
      {moves ? <LeakPanel stem={stem} members={members} rate={rate} onClose={() => setMoves(false)} /> : null}
    </section>
  );
}

function chop(stem: Source): void {
  showSource(stem.id);
  useView.getState().look({ station: "chop" });
}

function alone(audio: string): void {
  const { stems } = useBalance.getState();
  useBalance.setState({
    stems: Object.fromEntries(Object.entries(stems).map(([key, one]) => [key, { ...one, solo: false }])),
  });
  setStem(audio, { solo: true });
}
