import type { Source } from "../api/types";
import { setLooping, toggleSource, zoom, zoomToSelection } from "../app/actions";
import { useView } from "../app/view";
import { usePreview } from "../audio/preview";
import { useTape } from "../audio/tape";
import { Button } from "../design/Button";
import { seconds } from "../design/format";
import { Toggle } from "../design/Toggle";

/** Play, loop and zoom, for every station that shows a wave. */
export function WaveTools({ source, rate }: { source: Source; rate: number }) {
  const tape = useTape((s) => s.playing === source.audio);
  const preview = usePreview((s) => s.preview);
  const playing = tape || preview?.hash === source.audio;
  const looping = useView((s) => s.loopSelection);
  const selection = useView((s) => (s.selection?.source === source.id ? s.selection : null));
  return (
    <>
      <Button tone={playing ? "play" : "solid"} keys="Space" hint="The find, from the cursor or the selection" onClick={toggleSource}>
        {preview?.coming && playing ? "Preparing ..." : playing ? "■ Stop find" : "▶ Play find"}
      </Button>
      <Toggle on={looping} onChange={setLooping} keys="L" hint="Round and round: the selection, or all of it">
        Loop
      </Toggle>
      <Button keys="+" hint="Closer" aria-label="Zoom in" onClick={() => zoom(1 / 1.6)}>
        +
      </Button>
      <Button keys="−" hint="Wider" aria-label="Zoom out" onClick={() => zoom(1.6)}>
        −
      </Button>
      <Button keys="0" hint="Show the selection, or all of it" onClick={zoomToSelection}>
        Fit
      </Button>
      <span className="text-[12px] text-ink2">{selection ? `${seconds((selection.end - selection.start) / rate)} selected` : ""}</span>
    </>
  );
}
