/** A bus from left to right: what flows in, its wave and chain, its sends, its level. */
import { useState } from "react";

import type { Bus, Pocket } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { fixed } from "../../design/format";
import { Pair } from "../../design/Pair";
import { Slider } from "../../design/Slider";
import { BusMeter } from "./BusMeter";
import { BusWave } from "./BusWave";
import { Chain } from "./Chain";
import { EffectPanel } from "./EffectPanel";
import { type BusChange, RibbonHead } from "./RibbonHead";

const OFF = -60;

export function Ribbon({ pocket, bus }: { pocket: Pocket; bus: Bus }) {
  const [over, setOver] = useState(false);
  const open = useView((s) => s.effect);
  const amount = useParameter("bus", "amount");
  const returns = Object.values(pocket.buses).filter((other) => other.id !== bus.id && other.is_return);
  const effect = open?.bus === bus.id ? bus.chain.find(({ id }) => id === open.effect) : undefined;
  const set: BusChange = (change, gesture = null) => void edit({ type: "set_bus", bus: bus.id, ...change }, gesture);
  const takes = (event: React.DragEvent) => !bus.is_return && event.dataTransfer.types.includes("text/pad");

  return (
    <section
      aria-label={`${bus.is_return ? "Return" : "Bus"} ${bus.name}`}
      data-bus={bus.id}
      className={`rounded-[4px] border-[1.5px] px-3 py-1.5 ${over ? "border-now bg-nowtint" : "border-ink"} ${over ? "" : bus.is_return ? "bg-paper" : "bg-card"}`}
      onDragOver={(event) => {
        if (!takes(event)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget.contains(event.relatedTarget as Node | null) || setOver(false)}
      onDrop={(event) => {
        setOver(false);
        if (!takes(event)) return;
        event.preventDefault();
        void edit({ type: "set_pads", pads: dropped(Number(event.dataTransfer.getData("text/pad"))), bus: bus.id });
      }}
    >
      <div className="grid grid-cols-[176px_minmax(0,1fr)_196px] gap-3">
        <RibbonHead pocket={pocket} bus={bus} set={set} />
        <div className="flex min-w-0 flex-col justify-between gap-1.5">
          <BusWave bus={bus.id} height={58} />
          <div className="flex items-center gap-3">
            <Chain bus={bus.id} chain={bus.chain} name={bus.name} />
            <span className="grow" />
            {bus.chain.length && !bus.is_return ? (
              <span
                className="grid w-[190px] shrink-0 grid-cols-[auto_1fr_52px] items-center gap-1.5 text-[12px]"
                title="How much of the whole chain is heard"
              >
                <span className="text-[11.5px] text-ink2">amount</span>
                <Pair
                  parameter={amount}
                  label={`Amount of the chain of ${bus.name}`}
                  value={bus.amount}
                  onChange={(value, gesture) => set({ amount: value }, gesture)}
                />
              </span>
            ) : null}
          </div>
        </div>
        <div className="flex min-w-0 flex-col gap-0.5 text-[12px]">
          <BusMeter bus={bus.id} name={bus.name} />
          {bus.is_return ? null : returns.map((to) => <SendLine key={to.id} bus={bus} to={to} />)}
        </div>
      </div>
      {effect ? <EffectPanel pocket={pocket} bus={bus.id} effect={effect} /> : null}
    </section>
  );
}

/** The pads that a drag is about: all the chosen ones when it began on one of them. */
function dropped(pad: number): number[] {
  const chosen = useView.getState().pads;
  return chosen.includes(pad) ? chosen : [pad];
}

function SendLine({ bus, to }: { bus: Bus; to: Bus }) {
  const parameter = useParameter("send", "level");
  const send = bus.sends.find((one) => one.to === to.id);
  return (
    <Line label={to.name} value={send ? `${fixed(send.level, 1)} dB` : "off"}>
      <Slider
        parameter={parameter}
        label={`Send of ${bus.name} to ${to.name}`}
        value={send?.level ?? OFF}
        onChange={(value, gesture) =>
          void edit({ type: "set_send", bus: bus.id, to: to.id, level: value <= OFF ? null : value }, gesture)
        }
      />
    </Line>
  );
}

function Line({ label, value, children }: { label: string; value: string; children: React.ReactNode }) {
  return (
    <div className="grid grid-cols-[48px_1fr_52px] items-center gap-1.5">
      <span className="truncate text-[11.5px] text-ink2" title={label}>
        {label}
      </span>
      {children}
      <span className="text-right text-[11.5px]">{value}</span>
    </div>
  );
}
