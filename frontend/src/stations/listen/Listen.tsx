/** Listen: what is in the record, its tempo and key, and where bar one is. */
import { useEffect } from "react";

import type { Source } from "../../api/types";
import { useHearing, useParameter } from "../../app/about";
import { tapePlayer } from "../../audio/tape";
import { useView } from "../../app/view";
import { useLines } from "../../wave/lines";
import { Overview, WaveView } from "../../wave/WaveView";
import { WaveTools } from "../../wave/WaveTools";
import { GridTools } from "./GridTools";
import { Harmony } from "./Harmony";
import { Record } from "./Record";
import { Tempo } from "./Tempo";

export function Listen({ source, rate }: { source: Source; rate: number }) {
  const hearing = useHearing(source.audio);
  useClick(source);
  return (
    <div className="thin-scroll flex min-h-0 grow flex-col gap-1.5 overflow-auto px-4 pt-2.5 pb-2">
      <Overview source={source} />
      <WaveView source={source} height={238} cutting={false} chords={hearing?.chords} />
      <div className="flex flex-wrap items-center gap-1.5 pt-1">
        <WaveTools source={source} rate={rate} />
        <GridTools source={source} rate={rate} />
      </div>
      <div className="mt-1 grid grid-cols-[minmax(0,1fr)_196px] gap-5 border-t border-rule pt-2">
        <div className="flex min-w-0 flex-col gap-2.5">
          <Tempo source={source} rate={rate} hearing={hearing} />
          <Harmony source={source} hearing={hearing} />
        </div>
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
    tapePlayer.setClicks(click && lines ? { places: lines.beats, accents: lines.bars, level: 10 ** ((level - source.trim) / 20) } : null);
  }, [click, lines, level, source.trim]);
  useEffect(() => () => tapePlayer.setClicks(null), []);
}
