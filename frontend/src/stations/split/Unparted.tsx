/** A record of which there are no stems yet: where to choose what is to be taken apart, and what sounds where. */
import { useRef } from "react";

import type { Source } from "../../api/types";
import { useWorth } from "../../app/found";
import { Overview } from "../../wave/Overview";
import { useHeight } from "../../wave/useCanvas";
import { WaveTools } from "../../wave/WaveTools";
import { WaveView } from "../../wave/WaveView";
import { PassageStrip } from "../listen/PassageStrip";

/** Pixels of the wave's own frame. */
const EDGES = 4;

export function Unparted({ source, rate }: { source: Source; rate: number }) {
  const { worth, behind } = useWorth(source);
  const box = useRef<HTMLDivElement>(null);
  const height = useHeight(box);
  return (
    <div className="mt-2 flex min-h-0 grow flex-col gap-1.5">
      <Overview source={source} />
      <PassageStrip source={source} rate={rate} worth={worth} behind={behind} />
      <div ref={box} className="min-h-[130px] grow overflow-hidden">
        {height ? <WaveView source={source} height={height - EDGES} cutting={false} /> : null}
      </div>
      <WaveTools source={source} rate={rate} />
      <p className="mt-1 text-ink2">
        No stems of {source.name} yet. Take all of it apart, or a stretch that you select above: each part becomes a
        find of its own, with the record’s cuts, grid and key. Hear a part first for a few seconds from the cursor or
        the selection.
      </p>
    </div>
  );
}
