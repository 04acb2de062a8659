/** Ways to the tempo of the pocket: tapped, of the find in view, half and double. */
import { currentSource } from "../app/actions";
import { edit } from "../app/edits";
import { usePocket } from "../app/pocket";
import { tapPocket } from "../app/tapping";
import { useView } from "../app/view";
import { fixed } from "../design/format";
import { Menu } from "../design/Menu";

export function TempoMenu() {
  useView((s) => s.source);
  const tempo = usePocket((s) => s.open?.pocket.tempo ?? 0);
  const source = currentSource();
  const bpm = source?.grid?.bpm;
  const set = (value: number) => void edit({ type: "set_pocket", tempo: Math.round(value * 1e6) / 1e6 });
  return (
    <Menu
      label="Tempo"
      trigger={
        <button
          type="button"
          aria-label="Ways to the tempo"
          className="ml-0.5 rounded-[2px] px-1 text-[11px] text-ink2 hover:bg-well"
        >
          ▾
        </button>
      }
      items={[
        {
          label: "Tap: the key T in Rhythm and Song, in time",
          keys: "T",
          onSelect: () => tapPocket(performance.now()),
        },
        {
          label: bpm && source ? `As ${source.name}, ${fixed(bpm, 2)}` : "As the find in view",
          disabled: !bpm,
          onSelect: () => bpm && set(bpm),
        },
        { label: `Half, ${fixed(tempo / 2, 2)}`, disabled: tempo / 2 < 30, onSelect: () => set(tempo / 2) },
        { label: `Double, ${fixed(tempo * 2, 2)}`, disabled: tempo * 2 > 300, onSelect: () => set(tempo * 2) },
      ]}
    />
  );
}
