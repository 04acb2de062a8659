/** The effects that a pad's own voice goes through. */
import type { Pad, Pocket } from "../../api/types";
import { useView } from "../../app/view";
import { Chain } from "../mix/Chain";
import { EffectPanel } from "../mix/EffectPanel";

export function ToneCard({ index, pad, pocket }: { index: number; pad: Pad; pocket: Pocket }) {
  const where = `pad:${index}`;
  const chain = pad.sound.chain ?? [];
  const open = useView((s) => s.effect);
  const effect = open?.bus === where ? chain.find(({ id }) => id === open.effect) : undefined;
  return (
    <>
      <Chain bus={where} chain={chain} name={pad.called} />
      {effect ? <EffectPanel pocket={pocket} bus={where} effect={effect} /> : null}
      {chain.length ? null : (
        <p className="mt-1.5 text-[12px] text-ink2">
          EQ, compressor, saturation, echo and the rest, for this sound alone. A bus in Mix is for several.
        </p>
      )}
    </>
  );
}
