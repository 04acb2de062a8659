/** Listen: what is in the record, its tempo, and where bar one is. */
import { useState } from "react";

import type { Source } from "../../api/types";
import { useHearing, useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { fixed, seconds } from "../../design/format";
import { newGesture, NumberField } from "../../design/NumberField";
import { WaveTools } from "../../wave/WaveTools";
import { Overview, WaveView } from "../../wave/WaveView";

export function Listen({ source, rate }: { source: Source; rate: number }) {
  const hearing = useHearing(source.audio);
  const cursor = useView((s) => s.cursor);
  const grid = source.grid;
  const bpmParameter = useParameter("grid", "bpm");
  const barsParameter = useParameter("grid", "bars");
  const [bars, setBars] = useState(grid?.bars ?? 4);
  const origin = source.origin;
  const setBpm = (bpm: number, gesture: string) => void edit({ type: "set_grid", source: source.id, bpm }, gesture);

  return (
    <div className="thin-scroll flex min-h-0 grow flex-col gap-1.5 overflow-auto px-4 pt-2.5 pb-2">
      <Overview source={source} />
      <WaveView source={source} rate={rate} height={255} cutting={false} />
      <div className="flex flex-wrap items-center gap-2 pt-1">
        <WaveTools source={source} rate={rate} />
      </div>
      <div className="mt-1 grid grid-cols-[1fr_250px] gap-6 border-t border-rule pt-2.5">
        <section aria-label="Tempo">
          <h3 className="title mb-1.5 text-[14px]">Tempo</h3>
          {hearing?.tempi.length ? (
            <div className="mb-2 flex flex-wrap items-center gap-1.5">
              {hearing.tempi.slice(0, 4).map((tempo) => {
                const on = grid !== null && Math.abs(grid.bpm / tempo.bpm - 1) < 1e-4;
                return (
                  <Button
                    key={tempo.bpm}
                    tone={on ? "solid" : "plain"}
                    aria-pressed={on}
                    hint={tempo.bars ? `Then it lasts exactly ${tempo.bars} bars` : "Fitted to the transients"}
                    onClick={() => void edit({ type: "set_grid", source: source.id, ...(tempo.bars ? { bars: tempo.bars } : { bpm: tempo.bpm }) })}
                  >
                    <span className="font-semibold">{fixed(tempo.bpm, 2)}</span>
                    <span>{Math.round(tempo.confidence * 100)} %</span>
                  </Button>
                );
              })}
            </div>
          ) : hearing ? (
            <p className="mb-2 text-[12.5px] text-ink2">No steady pulse was found. Type a tempo, or say how many bars it lasts.</p>
          ) : null}
          <div className="flex flex-wrap items-center gap-2 text-[12.5px]">
            <NumberField parameter={bpmParameter} value={grid?.bpm ?? bpmParameter.default} onChange={setBpm} className="w-[92px]" />
            <Button disabled={!grid || grid.bpm < 40} onClick={() => grid && setBpm(grid.bpm / 2, newGesture())}>
              Half
            </Button>
            <Button disabled={!grid || grid.bpm > 200} onClick={() => grid && setBpm(grid.bpm * 2, newGesture())}>
              Double
            </Button>
            <span className="ml-2">All of it is</span>
            <NumberField parameter={barsParameter} value={bars} onChange={(value) => setBars(Math.round(value))} className="w-[62px]" />
            <Button hint="Sets the tempo to the sample" onClick={() => void edit({ type: "set_grid", source: source.id, bars })}>
              Set
            </Button>
          </div>
          <div className="mt-2 flex items-center gap-2 text-[12.5px]">
            <Button disabled={!grid} hint="The bar lines are counted from here" onClick={() => void edit({ type: "set_grid", source: source.id, bar_one: Math.round(cursor) })}>
              Bar one at the cursor
            </Button>
            <span className="text-ink2">{grid ? `bar one at ${(grid.bar_one / rate).toFixed(3)} s, cursor at ${(cursor / rate).toFixed(3)} s` : ""}</span>
          </div>
        </section>
        <section aria-label="File" className="text-[12.5px]">
          <h3 className="title mb-1.5 text-[14px]">The file</h3>
          <dl className="grid grid-cols-[70px_1fr] gap-y-0.5">
            <dt className="text-ink2">name</dt>
            <dd className="truncate" title={origin.file}>
              {origin.file}
            </dd>
            <dt className="text-ink2">format</dt>
            <dd>
              {origin.format.replace("_", " ")}
              {origin.lossy ? ", lossy" : ""}
            </dd>
            <dt className="text-ink2">was</dt>
            <dd>
              {fixed(origin.rate / 1000, 1)} kHz, {origin.channels === 1 ? "mono" : origin.channels === 2 ? "stereo" : `${origin.channels} channels, mixed down`}
            </dd>
            <dt className="text-ink2">length</dt>
            <dd>{seconds(source.frames / rate)}</dd>
            <dt className="text-ink2">peak</dt>
            <dd>{hearing?.peak_db === null || !hearing ? "silence" : `${fixed(hearing.peak_db, 1)} dBFS`}</dd>
          </dl>
          {origin.notes.map((note) => (
            <p key={note} className="mt-1.5 border-l-2 border-ink pl-2">
              {note}
            </p>
          ))}
        </section>
      </div>
    </div>
  );
}
