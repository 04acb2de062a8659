import type { ReactNode } from "react";

import type { Source } from "../api/types";
import { useHearing } from "../app/about";
import { setLooping, toggleSource, zoom, zoomToSelection } from "../app/actions";
import { fitToPads } from "../app/chopping";
import { tempoFromSelection } from "../app/selecting";
import { useView } from "../app/view";
import { usePreview } from "../audio/preview";
import { useTape } from "../audio/tape";
import { Button } from "../design/Button";
import { fixed } from "../design/format";
import { Menu } from "../design/Menu";
import { Toggle } from "../design/Toggle";
import { useLines } from "./lines";
import { inBars, lengthOf, type SelectSnap } from "./span";

const SNAPS: [SelectSnap, string][] = [
  ["bars", "bars"],
  ["beats", "beats"],
  ["attacks", "attacks"],
  ["quiet", "quiet points"],
  ["off", "nothing"],
];
const PADS = 16;
/** A stretch that would make another tempo than this is no stretch of beats. */
const SLOWEST = 30;
const FASTEST = 300;

/** On the wave's own edge: play, loop, zoom, what the station adds, and what is selected. */
export function WaveTools({ source, rate, children }: { source: Source; rate: number; children?: ReactNode }) {
  const tape = useTape((s) => s.playing === source.audio);
  const preview = usePreview((s) => s.preview);
  const playing = tape || preview?.hash === source.audio;
  const looping = useView((s) => s.loopSelection);
  const snap = useView((s) => s.selectSnap);
  return (
    <div
      role="toolbar"
      aria-label="The wave"
      className="-mt-1.5 flex h-[33px] items-center gap-1.5 rounded-b-[4px] border-[1.5px] border-t-0 border-ink bg-card px-1.5"
    >
      <Button
        tone={playing ? "play" : "solid"}
        className="w-[92px]"
        keys="Space"
        hint="The find, from the cursor or the selection"
        onClick={toggleSource}
      >
        {preview?.coming && playing ? "Preparing ..." : playing ? "■ Stop find" : "▶ Play find"}
      </Button>
      <Toggle on={looping} onChange={setLooping} keys="L" hint="Round and round: the selection, or all of it">
        Loop
      </Toggle>
      <span className="inline-flex">
        <Button className="-mr-px !px-1.5" keys="−" hint="Wider" aria-label="Zoom out" onClick={() => zoom(1.6)}>
          −
        </Button>
        <Button className="-mr-px !px-1.5" keys="+" hint="Closer" aria-label="Zoom in" onClick={() => zoom(1 / 1.6)}>
          +
        </Button>
        <Button
          className="!px-1.5"
          keys="0"
          hint="The selection; from there, or without one, all of it"
          onClick={zoomToSelection}
        >
          Fit
        </Button>
      </span>
      <Menu
        label="Edges of a selection go to"
        trigger={
          <Button hint="Where the edges of a selection go; Alt while dragging: nowhere">
            Select: {SNAPS.find(([one]) => one === snap)?.[1]} ▾
          </Button>
        }
        items={SNAPS.map(([one, label]) => ({
          label,
          checked: one === snap,
          onSelect: () => useView.getState().look({ selectSnap: one }),
        }))}
      />
      {children}
      <Selected source={source} rate={rate} />
    </div>
  );
}

/** How long the selection is, the tempo that it would make, and the shortest way to the pads. */
function Selected({ source, rate }: { source: Source; rate: number }) {
  const selection = useView((s) =>
    s.selection?.source === source.id && s.selection.end > s.selection.start ? s.selection : null,
  );
  const lines = useLines(source);
  const hearing = useHearing(source.audio);
  if (!selection)
    return (
      <span className="min-w-0 grow truncate text-right text-[11.5px] text-ink2">
        Drag to select; double click a bar number for the bar
      </span>
    );
  const { beats, count, unit, bpm } = lengthOf(selection, lines, rate);
  const one = count === 1 ? unit.slice(0, -1) : unit;
  return (
    <>
      <span role="status" data-testid="selected" className="min-w-0 grow truncate text-right text-[12px]">
        {beats === null ? "" : `${inBars(beats, lines?.beatsPerBar ?? 4)}, `}
        {((selection.end - selection.start) / rate).toFixed(3)} s
      </span>
      {bpm >= SLOWEST && bpm <= FASTEST ? (
        <Button
          className="!px-1.5"
          hint="Set the find's tempo and bar one from the selection"
          onClick={() => tempoFromSelection(source, lines, hearing, rate)}
        >
          {count} {one} at {fixed(bpm, 1)}
        </Button>
      ) : null}
      <Button
        className="!px-1.5"
        hint={`The selection in equal parts on ${PADS} pads`}
        onClick={() => fitToPads("beats", PADS)}
      >
        To {PADS} pads
      </Button>
    </>
  );
}
