/** Listen: what is in the record, its tempo and key, and where bar one is. */
import { Tabs } from "radix-ui";
import { useEffect } from "react";

import type { Source } from "../../api/types";
import { useHearing, useParameter } from "../../app/about";
import { useWorth } from "../../app/found";
import { tapePlayer } from "../../audio/tape";
import { type ListenPanel, useView } from "../../app/view";
import { useLines } from "../../wave/lines";
import { useWaveHeight } from "../../wave/useCanvas";
import { Overview } from "../../wave/Overview";
import { WaveView } from "../../wave/WaveView";
import { WaveTools } from "../../wave/WaveTools";
import { Clean } from "./Clean";
import { FitTools } from "./FitTools";
import { GridTools } from "./GridTools";
import { Harmony } from "./Harmony";
import { PassageStrip } from "./PassageStrip";
import { Record } from "./Record";
import { Tempo } from "./Tempo";
import { Worth } from "./Worth";

const PANELS: { value: ListenPanel; label: string }[] = [
  { value: "tempo", label: "Tempo and key" },
  { value: "worth", label: "Worth taking" },
  { value: "clean", label: "Cleaning" },
];

export function Listen({ source, rate }: { source: Source; rate: number }) {
  const hearing = useHearing(source.audio);
  const { worth, behind } = useWorth(source);
  const panel = useView((s) => s.panel);
  useClick(source);
  return (
    <div className="thin-scroll flex min-h-0 grow flex-col gap-1.5 overflow-auto px-4 pt-2.5 pb-2">
      <Overview source={source} />
      <PassageStrip source={source} rate={rate} worth={worth} behind={behind} />
      <WaveView source={source} height={useWaveHeight(206)} cutting={false} chords={hearing?.chords} />
      <WaveTools source={source} rate={rate} />
      <div className="flex flex-wrap items-center gap-1.5">
        <FitTools source={source} />
        <GridTools source={source} rate={rate} />
      </div>
      <div className="mt-1 grid grid-cols-[minmax(0,1fr)_196px] gap-5 border-t border-rule pt-2">
        <Tabs.Root
          value={panel}
          onValueChange={(value) => useView.getState().look({ panel: value as ListenPanel })}
          className="flex min-w-0 flex-col gap-2"
        >
          <Tabs.List aria-label="What was found" className="flex gap-4 border-b border-rule">
            {PANELS.map(({ value, label }) => (
              <Tabs.Trigger
                key={value}
                value={value}
                className="title -mb-px border-b-2 border-transparent pb-1 text-[14px] text-ink2 data-[state=active]:border-now data-[state=active]:text-ink"
              >
                {label}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <Tabs.Content value="tempo" tabIndex={-1} className="flex flex-col gap-2.5">
            <Tempo source={source} rate={rate} hearing={hearing} />
            <Harmony source={source} hearing={hearing} />
          </Tabs.Content>
          <Tabs.Content value="worth" tabIndex={-1}>
            <Worth source={source} rate={rate} worth={worth} behind={behind} />
          </Tabs.Content>
          <Tabs.Content value="clean" tabIndex={-1}>
            <Clean source={source} rate={rate} />
          </Tabs.Content>
        </Tabs.Root>
        <Record source={source} rate={rate} hearing={hearing} />
      </div>
    </div>
  );
}

/** Keep the clicks over the record where the grid's lines are. */
function useClick(source: Source) {
  const lines = useLines(source);
  const click = useView((s) => s.click);
  const quiet = useParameter("listen", "click_level").default;
  const level = useView((s) => s.clickLevel) ?? quiet;
  useEffect(() => {
    // The trim of the record, which the clicks pass too, must not turn them down.
    tapePlayer.setClicks(
      click && lines ? { places: lines.beats, accents: lines.bars, level: 10 ** ((level - source.trim) / 20) } : null,
    );
  }, [click, lines, level, source.trim]);
  useEffect(() => () => tapePlayer.setClicks(null), []);
}
