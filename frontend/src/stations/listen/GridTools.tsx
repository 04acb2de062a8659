/** The click, and moving the grid under the record. */
import type { Source } from "../../api/types";
import { barOneHere, moveGrid, tap } from "../../app/actions";
import { useParameter } from "../../app/about";
import { useView } from "../../app/view";
import { useTape } from "../../audio/tape";
import { Button } from "../../design/Button";
import { newGesture } from "../../design/NumberField";
import { Slider } from "../../design/Slider";
import { Toggle } from "../../design/Toggle";
import { useLines } from "../../wave/lines";

const FINE_MS = 1;
const COARSE_MS = 10;
const BARS_SHOWN = 2;

export function GridTools({ source, rate }: { source: Source; rate: number }) {
  const click = useView((s) => s.click);
  const level = useView((s) => s.clickLevel);
  const levelParameter = useParameter("listen", "click_level");
  const playing = useTape((s) => s.playing === source.audio);
  const lines = useLines(source);
  const { look, setWindow } = useView.getState();
  const grid = source.grid;
  const nudge = (ms: number) => moveGrid(source, Math.round((ms / 1000) * rate), newGesture());

  function show(last: boolean) {
    if (!lines) return;
    const bars = lines.beats.filter((_, i) => lines.bars[i]);
    const from = Math.max(0, last ? bars.length - 1 - BARS_SHOWN : bars.findIndex((b) => b >= (grid?.bar_one ?? 0)));
    const start = bars[from] ?? 0;
    const end = bars[from + BARS_SHOWN] ?? source.frames;
    const margin = (end - start) * 0.04;
    setWindow(source.id, { start: Math.max(0, start - margin), end: Math.min(source.frames, end + margin) });
    look({ cursor: start, selection: null });
  }

  return (
    <div className="flex flex-wrap items-center gap-1.5">
      <Toggle
        on={click}
        onChange={(on) => look({ click: on })}
        keys="G"
        hint="Clicks on the beats while the find plays; bar one is higher"
      >
        Click
      </Toggle>
      {click ? (
        <Slider
          parameter={levelParameter}
          value={level ?? levelParameter.default}
          onChange={(value) => look({ clickLevel: value })}
          className="w-[70px]"
        />
      ) : null}
      <Button
        disabled={!playing}
        keys="T"
        hint={playing ? "Tap along: three taps or more make the tempo" : "Play the find, then tap along"}
        onClick={() => tap()}
      >
        Tap
      </Button>
      <span className="inline-flex items-center">
        {[-COARSE_MS, -FINE_MS, FINE_MS, COARSE_MS].map((ms) => (
          <Button
            key={ms}
            disabled={!grid}
            className="-ml-px !px-1.5 first:ml-0"
            aria-label={`Move the grid ${Math.abs(ms)} ms ${ms < 0 ? "earlier" : "later"}`}
            hint={`All lines ${Math.abs(ms)} ms ${ms < 0 ? "earlier" : "later"}`}
            onClick={() => nudge(ms)}
          >
            {ms < 0 ? `◂${-ms}` : `${ms}▸`}
          </Button>
        ))}
      </span>
      <Button
        disabled={!grid}
        keys="B"
        hint="Bar one begins at the cursor, or where the selection begins"
        onClick={barOneHere}
      >
        Bar one here
      </Button>
      <Button
        disabled={!lines}
        hint="The first bars, close up: do the lines sit on the beats?"
        onClick={() => show(false)}
      >
        First bars
      </Button>
      <Button
        disabled={!lines}
        hint="The last bars, close up: do the lines still sit on the beats?"
        onClick={() => show(true)}
      >
        Last bars
      </Button>
    </div>
  );
}
