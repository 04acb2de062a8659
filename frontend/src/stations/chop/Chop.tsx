/** Chop: cuts, slices, and the way to the pads. */
import type { Source } from "../../api/types";
import { chooseSlice, cutHere, deleteCuts, originalRhythm, slicesToPads } from "../../app/actions";
import { useHearing, useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { fixed } from "../../design/format";
import { Slider } from "../../design/Slider";
import { WaveTools } from "../../wave/WaveTools";
import { Overview, WaveView } from "../../wave/WaveView";
import { SliceTable } from "./SliceTable";

export function Chop({ source, rate }: { source: Source; rate: number }) {
  const chosen = useView((s) => s.cuts.filter((id) => source.cuts.some((c) => c.id === id)).length);
  const sensitivity = useParameter("chop", "sensitivity");
  const hearing = useHearing(source.audio);
  const byHand = source.cuts.filter((cut) => cut.by === "hand").length;

  return (
    <div className="flex min-h-0 grow flex-col gap-1.5 px-4 pt-2.5 pb-2">
      <Overview source={source} />
      <WaveView source={source} height={233} cutting onSlice={(cut, add) => chooseSlice(source, cut, add)} />
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5 pt-1">
        <WaveTools source={source} rate={rate} />
        <span className="grow" />
        <Button keys="N" hint="New cut at the playhead or cursor; a double click on the wave does it too" onClick={cutHere}>
          Add cut
        </Button>
        <Button keys="Delete" hint="The slice before it grows" disabled={!chosen} onClick={deleteCuts}>
          Delete cut
        </Button>
      </div>
      <div className="flex items-center gap-2">
        <span className="text-[12px] text-ink2">Sensitivity</span>
        <Slider
          className="w-36"
          parameter={sensitivity}
          value={source.sensitivity}
          onChange={(value, gesture) => void edit({ type: "cut_transients", source: source.id, sensitivity: value }, gesture)}
        />
        <span className="w-9 text-right text-[12px]">{fixed(source.sensitivity, 0)} %</span>
        <span className="text-[12px] whitespace-nowrap" data-testid="slice-count">
          {source.cuts.length} {source.cuts.length === 1 ? "slice" : "slices"}
        </span>
        <span className="truncate text-[12px] text-ink2">
          {byHand ? `${byHand} by hand, kept` : hearing && !hearing.transients.at.length ? "no transients: cut by hand" : ""}
        </span>
        <span className="grow" />
        <Button
          hint={source.grid ? "Make a pattern that plays the pads as this was played; missing slices go on pads" : "Set its tempo in Listen first"}
          onClick={() => void originalRhythm()}
        >
          Original rhythm
        </Button>
        <Button keys="P" disabled={!chosen} hint="Put the chosen slices on the next free pads" onClick={() => void slicesToPads(false)}>
          {chosen > 1 ? `${chosen} to pads` : "To pad"}
        </Button>
        <Button tone="go" disabled={!source.cuts.length} onClick={() => void slicesToPads(true)}>
          All to pads
        </Button>
      </div>
      <SliceTable source={source} rate={rate} />
    </div>
  );
}
