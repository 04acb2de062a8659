/** Whether finds are heard as they are, or in the pocket's tempo and key. */
import type { Source } from "../../api/types";
import { keyName } from "../../app/fitting";
import { toggleSource } from "../../app/actions";
import { usePocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { usePreview } from "../../audio/preview";
import { useTape } from "../../audio/tape";
import { fixed } from "../../design/format";
import { Toggle } from "../../design/Toggle";

export function FitTools({ source }: { source: Source }) {
  const pocket = usePocket((s) => s.open?.pocket);
  const inTempo = useView((s) => s.inTempo);
  const inKey = useView((s) => s.inKey);
  if (!pocket) return null;

  function set(change: { inTempo?: boolean; inKey?: boolean }) {
    const playing = useTape.getState().playing === source.audio || usePreview.getState().preview?.hash === source.audio;
    // What plays goes on in the other way.
    if (playing) toggleSource();
    useView.getState().look(change);
    if (playing) toggleSource();
  }
  const tempoHint = source.grid
    ? "Hear it in the pocket's tempo, stretched without a change of pitch"
    : "It has no tempo yet: nothing to fit";
  const keyHint = pocket.key ? "Hear it in the pocket's key and tuning" : "Set the pocket's key in the top bar first";
  return (
    <>
      <Toggle on={inTempo} onChange={(on) => set({ inTempo: on })} hint={tempoHint}>
        At {fixed(pocket.tempo, pocket.tempo % 1 ? 2 : 0)} BPM
      </Toggle>
      <Toggle
        on={inKey && pocket.key !== null}
        onChange={(on) => (pocket.key || !on ? set({ inKey: on }) : undefined)}
        hint={keyHint}
      >
        {pocket.key ? `In ${keyName(pocket.key)}` : "In key"}
      </Toggle>
      {(inTempo && source.grid) || (inKey && pocket.key) ? (
        <span className="text-[12px] text-ink2">fitted, a minute at most</span>
      ) : null}
    </>
  );
}
