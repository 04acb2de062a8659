/** The tempi that were found, to choose among, and every way to say it better. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../../api/client";
import type { Hearing, Source, TempoCandidate } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { setLength } from "../../app/selecting";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { fixed, seconds } from "../../design/format";
import { newGesture, NumberField } from "../../design/NumberField";
import { Toggle } from "../../design/Toggle";

const METRES = ["4/4", "3/4", "6/8", "5/4", "6/4", "7/4"] as const;
const SAME = 2e-4;

export function Tempo({ source, rate, hearing }: { source: Source; rate: number; hearing: Hearing | undefined }) {
  const grid = source.grid;
  const bpmParameter = useParameter("grid", "bpm");
  const setBpm = (bpm: number, gesture: string) => void edit({ type: "set_grid", source: source.id, bpm }, gesture);
  return (
    <section aria-label="Tempo" className="flex flex-col gap-1.5 text-[12.5px]">
      <div className="flex flex-wrap items-center gap-1.5">
        <h3 className="title w-[52px] text-[14px]">Tempo</h3>
        {hearing?.tempi.map((tempo, i) => (
          <Chip
            key={tempo.bpm}
            tempo={tempo}
            on={grid !== null && Math.abs(grid.bpm / tempo.bpm - 1) < SAME}
            take={() => void edit({ type: "take_tempo", source: source.id, candidate: i })}
          />
        ))}
        {hearing && !hearing.tempi.length ? (
          <p className="text-ink2">No steady pulse was found. Tap it, type it, or say how many bars a stretch lasts.</p>
        ) : null}
        {hearing ? null : <p className="text-ink2">Listening ...</p>}
        <Steadiness source={source} hearing={hearing} />
      </div>
      <div className="flex flex-wrap items-center gap-1.5">
        <NumberField
          parameter={bpmParameter}
          value={grid?.bpm ?? bpmParameter.default}
          onChange={setBpm}
          className="w-[88px]"
        />
        <Button
          disabled={!grid}
          hint="Half as many beats in the same time"
          onClick={() => void edit({ type: "move_grid", source: source.id, ratio: "half" }, newGesture())}
        >
          Half
        </Button>
        <Button
          disabled={!grid}
          hint="Twice as many beats in the same time"
          onClick={() => void edit({ type: "move_grid", source: source.id, ratio: "double" }, newGesture())}
        >
          Double
        </Button>
        <span role="group" aria-label="Metre" className="inline-flex">
          {METRES.map((metre) => (
            <Button
              key={metre}
              className="-ml-px !px-1.5 first:ml-0"
              tone={grid?.metre === metre ? "solid" : "plain"}
              aria-pressed={grid?.metre === metre}
              disabled={!grid}
              onClick={() => void edit({ type: "set_grid", source: source.id, metre })}
            >
              {metre}
            </Button>
          ))}
        </span>
      </div>
      <Stretch source={source} rate={rate} hearing={hearing} />
    </section>
  );
}

function Chip({ tempo, on, take }: { tempo: TempoCandidate; on: boolean; take: () => void }) {
  const loop = tempo.bars ? `Then it is a loop of exactly ${tempo.bars} ${tempo.bars === 1 ? "bar" : "bars"}. ` : "";
  const drift = tempo.steady ? "" : "The beat drifts; the lines follow it. ";
  return (
    <Button
      tone={on ? "solid" : "plain"}
      aria-pressed={on}
      onClick={take}
      hint={`${loop}${drift}${tempo.relation ? `Its relation to the first: ${tempo.relation}.` : "The likeliest."}`}
    >
      <span className="font-semibold">{fixed(tempo.bpm, 2)}</span>
      <span>
        {tempo.metre !== "4/4" ? `${tempo.metre} ` : ""}
        {tempo.bars ? `${tempo.bars} ${tempo.bars === 1 ? "bar" : "bars"} ` : ""}
        {tempo.relation ? `${tempo.relation} ` : ""}
        {tempo.confidence < 0.01 ? "< 1" : Math.round(tempo.confidence * 100)} %
      </span>
    </Button>
  );
}

function Steadiness({ source, hearing }: { source: Source; hearing: Hearing | undefined }) {
  const grid = source.grid;
  const tempo = grid && hearing?.tempi.find((t) => Math.abs(t.bpm / grid.bpm - 1) < SAME);
  if (!grid) return null;
  const what = grid.beats.length
    ? `drifts by ${fixed(tempo?.rough_ms ?? 0, 0)} ms, followed`
    : tempo && !grid.bars
      ? `steady within ${fixed(tempo.rough_ms, 1)} ms`
      : grid.bars
        ? `${grid.bars} bars, to the sample`
        : "";
  return (
    <span className="text-ink2">
      {what}
      {what && grid.by === "hand" ? ", " : ""}
      {grid.by === "hand" ? "set by hand" : ""}
    </span>
  );
}

/** The selection, or all of it: how many bars or beats it is, or what it says when listened to alone. */
function Stretch({ source, rate, hearing }: { source: Source; rate: number; hearing: Hearing | undefined }) {
  const selection = useView((s) =>
    s.selection?.source === source.id && s.selection.end > s.selection.start ? s.selection : null,
  );
  const barsParameter = useParameter("grid", "bars");
  const [count, setCount] = useState(source.grid?.bars ?? 4);
  const [asked, setAsked] = useState<{ start: number; end: number } | null>(null);
  const [sharpen, setSharpen] = useState(false);
  const start = Math.round(selection?.start ?? 0);
  const end = Math.round(selection?.end ?? source.frames);
  const what = selection ? `The selected ${seconds((end - start) / rate)}` : "All of it";
  const set = (unit: "bars" | "beats") => setLength(source, hearing, { start, end }, count, unit, rate);
  return (
    <>
      <div className="flex flex-wrap items-center gap-1.5">
        <span className="text-ink2">{selection ? "Length of the selection" : "Length of it all"}</span>
        <NumberField
          parameter={barsParameter}
          label="Length, in bars or beats"
          showUnit={false}
          value={count}
          onChange={(value) => setCount(Math.round(value))}
          className="w-[62px]"
        />
        <Button
          hint="Set the tempo so that it lasts this many bars, to the sample, and bar one where it begins"
          onClick={() => set("bars")}
        >
          Set as bars
        </Button>
        <Button
          hint="Set the tempo so that it lasts this many beats, to the sample, and bar one where it begins"
          onClick={() => set("beats")}
        >
          Set as beats
        </Button>
        <span className="mx-1 h-4 border-l border-rule" />
        <Button hint={`${what}, listened to alone`} onClick={() => setAsked({ start, end })}>
          {selection ? "Listen to the selection" : "Listen again"}
        </Button>
        <Toggle
          on={sharpen}
          onChange={setSharpen}
          hint="Attacks up and sustain down before listening, for weak material"
        >
          Boost attacks
        </Toggle>
      </div>
      {asked ? (
        <Alone
          source={source}
          rate={rate}
          start={asked.start}
          end={asked.end}
          sharpen={sharpen}
          done={() => setAsked(null)}
        />
      ) : null}
    </>
  );
}

function Alone({
  source,
  rate,
  start,
  end,
  sharpen,
  done,
}: {
  source: Source;
  rate: number;
  start: number;
  end: number;
  sharpen: boolean;
  done: () => void;
}) {
  const plain = useTempi(source.audio, start, end, false);
  const sharp = useTempi(source.audio, start, end, sharpen);
  const shown = sharpen ? sharp : plain;
  const before = plain.data?.tempi[0]?.confidence;
  const now = sharp.data?.tempi[0]?.confidence;
  return (
    <div role="status" className="flex flex-wrap items-center gap-1.5 rounded-[3px] bg-well px-2 py-1">
      <span>
        {seconds(start / rate)} to {seconds(end / rate)}
        {sharpen ? ", attacks boosted" : ""}:
      </span>
      {shown.isPending ? <span className="text-ink2">listening ...</span> : null}
      {shown.error ? <span>{shown.error.message}</span> : null}
      {shown.data && !shown.data.tempi.length ? <span>no steady pulse.</span> : null}
      {shown.data?.tempi.slice(0, 3).map((tempo) => (
        <Chip
          key={tempo.bpm}
          tempo={tempo}
          on={false}
          take={() =>
            void edit({
              type: "set_grid",
              source: source.id,
              bpm: tempo.bpm,
              bar_one: tempo.bar_one,
              metre: tempo.metre as (typeof METRES)[number],
            })
          }
        />
      ))}
      {sharpen && before !== undefined && now !== undefined ? (
        <span className="text-ink2">
          confidence {now > before ? "rose" : now < before ? "fell" : "stayed"} from {Math.round(before * 100)} to{" "}
          {Math.round(now * 100)} %
        </span>
      ) : null}
      <Button tone="quiet" className="ml-auto" aria-label="Close" onClick={done}>
        ×
      </Button>
    </div>
  );
}

function useTempi(audio: string, start: number, end: number, sharpen: boolean) {
  return useQuery({
    queryKey: ["tempi", audio, start, end, sharpen],
    queryFn: () =>
      ask(
        api.GET("/api/audio/{audio}/tempi/{start}/{end}", {
          params: { path: { audio, start, end }, query: { sharpen } },
        }),
      ),
    staleTime: Infinity,
    retry: false,
  });
}
