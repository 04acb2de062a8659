/** A bus from left to right: what flows in, its wave and chain, its sends, its level. */
import { useState } from "react";

import type { Bus, Pocket, Role } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { usePocket } from "../../app/pocket";
import { print } from "../../app/printing";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { fixed } from "../../design/format";
import { EditableName } from "../../design/EditableName";
import { Dots, Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";
import { ROLE_NAMES, ROLES } from "../../design/roles";
import { Slider } from "../../design/Slider";
import { padsOn } from "./routing";
import { BusMeter } from "./BusMeter";
import { BusWave } from "./BusWave";
import { Chain } from "./Chain";
import { EffectPanel } from "./EffectPanel";

const OFF = -60;

export function Ribbon({ pocket, bus }: { pocket: Pocket; bus: Bus }) {
  const [renaming, setRenaming] = useState(false);
  const [over, setOver] = useState(false);
  const open = useView((s) => s.effect);
  const level = useParameter("bus", "level");
  const pan = useParameter("bus", "pan");
  const amount = useParameter("bus", "amount");
  const others = Object.values(pocket.buses).filter((other) => other.id !== bus.id);
  const returns = others.filter((other) => other.is_return);
  const effect = open?.bus === bus.id ? bus.chain.find(({ id }) => id === open.effect) : undefined;
  const set = (
    change: Partial<Pick<Bus, "name" | "level" | "pan" | "amount" | "mute" | "solo" | "into" | "roles">>,
    gesture: string | null = null,
  ) => void edit({ type: "set_bus", bus: bus.id, ...change }, gesture);
  const takes = (event: React.DragEvent) => !bus.is_return && event.dataTransfer.types.includes("text/pad");
  const pattern = useView((s) => s.pattern);

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
        <div className="flex min-w-0 flex-col gap-1">
          <div className="flex items-center gap-1">
            <EditableName
              className="title block min-w-0 truncate text-[15px]"
              label="Name of the bus"
              value={bus.name}
              editing={renaming}
              onEditing={setRenaming}
              onChange={(name) => set({ name })}
            />
            <span className="grow" />
            <Dots
              name={`Menu of ${bus.name}`}
              label={`${bus.name}: what to do`}
              items={[
                { label: "Rename", focuses: true, onSelect: () => setTimeout(() => setRenaming(true)) },
                {
                  label: "Print it among the finds",
                  disabled: !pattern,
                  onSelect: () =>
                    void print({ what: "bus", bus: bus.id, pattern, sections: [], master: false, ending: "wrap" }),
                },
                null,
                { label: "Into the master", checked: bus.into === null, onSelect: () => set({ into: null }) },
                ...others
                  .filter((other) => !other.is_return)
                  .map((other) => ({
                    label: `Into ${other.name}`,
                    checked: bus.into === other.id,
                    onSelect: () => set({ into: other.id }),
                  })),
                null,
                { label: "Remove", onSelect: () => void edit({ type: "remove_bus", bus: bus.id }) },
              ]}
            />
          </div>
          <div className="flex items-center gap-1">
            {bus.is_return ? (
              <span className="text-[11.5px] text-ink2">return</span>
            ) : (
              <Takes pocket={pocket} bus={bus} set={set} />
            )}
            <span className="grow" />
            <Square on={bus.mute} label={`Mute ${bus.name}`} onClick={() => set({ mute: !bus.mute })}>
              M
            </Square>
            <Square on={bus.solo} label={`Solo ${bus.name}`} onClick={() => set({ solo: !bus.solo })}>
              S
            </Square>
          </div>
          <div className="grid grid-cols-[30px_1fr_58px] items-center gap-1.5 text-[12px]">
            <span className="text-[11.5px] text-ink2">level</span>
            <Slider
              parameter={level}
              label={`Level of ${bus.name}`}
              value={bus.level}
              onChange={(value, gesture) => set({ level: value }, gesture)}
            />
            <NumberField
              align="right"
              parameter={level}
              label={`Level of ${bus.name}`}
              value={bus.level}
              onChange={(value, gesture) => set({ level: value }, gesture)}
            />
            <span className="text-[11.5px] text-ink2">pan</span>
            <Slider
              parameter={pan}
              label={`Pan of ${bus.name}`}
              value={bus.pan}
              onChange={(value, gesture) => set({ pan: value }, gesture)}
            />
            <NumberField
              align="right"
              parameter={pan}
              label={`Pan of ${bus.name}`}
              value={bus.pan}
              onChange={(value, gesture) => set({ pan: value }, gesture)}
            />
          </div>
        </div>
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
                <Slider
                  parameter={amount}
                  label={`Amount of the chain of ${bus.name}`}
                  value={bus.amount}
                  onChange={(value, gesture) => set({ amount: value }, gesture)}
                />
                <NumberField
                  align="right"
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

function Square({
  on,
  label,
  onClick,
  children,
}: {
  on: boolean;
  label: string;
  onClick: () => void;
  children: string;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={label}
      title={label}
      onClick={onClick}
      className={`h-[19px] w-[19px] rounded-[2px] border-[1.2px] border-ink text-[11px] font-bold ${on ? "bg-ink text-card" : "bg-card hover:bg-well"}`}
    >
      {children}
    </button>
  );
}

/** What flows in: the glyphs of its pads' roles; behind them the choice of roles and pads. */
function Takes({ pocket, bus, set }: { pocket: Pocket; bus: Bus; set: (change: { roles: Role[] }) => void }) {
  const pads = padsOn(
    usePocket((s) => s.open?.sounds ?? null),
    bus.id,
  );
  const roles = [...new Set(pads.map((index) => pocket.pads[index]?.role ?? null))];
  const chosen = useView((s) => s.pads).filter((index) => pocket.pads[index]);
  return (
    <Menu
      label={`What is on ${bus.name}`}
      trigger={
        <Button className="!px-1.5 !py-[1px]" hint="What is on this bus. Pads can be dragged onto it">
          <span className="sr-only">{`What is on ${bus.name}: `}</span>
          {roles.map((role) => (
            <span key={role ?? "none"} aria-hidden style={{ color: role ? ROLES[role].color : undefined }}>
              {role ? ROLES[role].glyph : "○"}
            </span>
          ))}
          {pads.length ? `${pads.length}` : "empty"} ▾
        </Button>
      }
      items={[
        ...ROLE_NAMES.map((role) => ({
          label: `${ROLES[role].glyph} all ${ROLES[role].label}`,
          checked: bus.roles.includes(role),
          onSelect: () =>
            set({ roles: bus.roles.includes(role) ? bus.roles.filter((one) => one !== role) : [...bus.roles, role] }),
        })),
        null,
        {
          label: chosen.length
            ? `The chosen ${chosen.length === 1 ? "pad" : `${chosen.length} pads`}`
            : "The chosen pads",
          disabled: !chosen.length,
          onSelect: () => void edit({ type: "set_pads", pads: chosen, bus: bus.id }),
        },
      ]}
    />
  );
}
