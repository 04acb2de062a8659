/** The effects that a pad's own voice goes through. */
import type { Pad, Pocket } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { fixed } from "../../design/format";
import { Slider } from "../../design/Slider";
import { Chain } from "../mix/Chain";
import { EffectPanel } from "../mix/EffectPanel";

const OFF = -60;

/** Shares of the pad that go to the returns there are, beside the bus that it is on. */
function Sends({ index, pad, pocket }: { index: number; pad: Pad; pocket: Pocket }) {
  const parameter = useParameter("send", "level");
  const chosen = useView((s) => s.pads);
  const pads = chosen.includes(index) ? chosen.filter((one) => pocket.pads[one]) : [index];
  const returns = Object.values(pocket.buses).filter((bus) => bus.is_return);
  if (!returns.length) return null;
  return (
    <div
      role="group"
      aria-label="Sends of the pad"
      className="mt-1.5 grid grid-cols-2 gap-x-6 border-t border-rule pt-1.5"
    >
      {returns.map((bus) => {
        const send = pad.sends.find((one) => one.to === bus.id);
        const set = (value: number, gesture: string) =>
          void edit({ type: "send_pads", pads, to: bus.id, level: value <= OFF ? null : value }, gesture);
        return (
          <div key={bus.id} className="grid grid-cols-[84px_1fr_64px] items-center gap-2 text-[12px]">
            <span className="truncate" title={bus.name}>
              to {bus.name}
            </span>
            <Slider parameter={parameter} label={`Send to ${bus.name}`} value={send?.level ?? OFF} onChange={set} />
            <span className="text-right">{send ? `${fixed(send.level ?? 0, 1)} dB` : "off"}</span>
          </div>
        );
      })}
    </div>
  );
}

export function ToneCard({ index, pad, pocket }: { index: number; pad: Pad; pocket: Pocket }) {
  const where = `pad:${index}`;
  const chain = pad.sound.chain ?? [];
  const open = useView((s) => s.effect);
  const effect = open?.bus === where ? chain.find(({ id }) => id === open.effect) : undefined;
  return (
    <>
      <Chain bus={where} chain={chain} name={pad.called} />
      {effect ? <EffectPanel pocket={pocket} bus={where} effect={effect} /> : null}
      <Sends index={index} pad={pad} pocket={pocket} />
      {chain.length ? null : (
        <p className="mt-1.5 text-[12px] text-ink2">
          EQ, compressor, saturation, echo and the rest, for this sound alone. A bus in Mix is for several.
        </p>
      )}
    </>
  );
}
