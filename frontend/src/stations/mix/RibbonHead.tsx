/** The left end of a bus: its name and menu, what flows in, mute and solo, level and pan. */
import { useState } from "react";

import type { Bus, Pocket } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { usePocket } from "../../app/pocket";
import { print } from "../../app/printing";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { EditableName } from "../../design/EditableName";
import { Dots, Menu } from "../../design/Menu";
import { Pair } from "../../design/Pair";
import { ROLE_NAMES, ROLES } from "../../design/roles";
import { padsOn } from "./routing";

export type BusChange = (
  change: Partial<Pick<Bus, "name" | "level" | "pan" | "amount" | "mute" | "solo" | "into" | "roles">>,
  gesture?: string | null,
) => void;

export function RibbonHead({ pocket, bus, set }: { pocket: Pocket; bus: Bus; set: BusChange }) {
  const [renaming, setRenaming] = useState(false);
  const level = useParameter("bus", "level");
  const pan = useParameter("bus", "pan");
  const pattern = useView((s) => s.pattern);
  const others = Object.values(pocket.buses).filter((other) => other.id !== bus.id);
  return (
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
        <Pair
          parameter={level}
          label={`Level of ${bus.name}`}
          value={bus.level}
          onChange={(value, gesture) => set({ level: value }, gesture)}
        />
        <span className="text-[11.5px] text-ink2">pan</span>
        <Pair
          parameter={pan}
          label={`Pan of ${bus.name}`}
          value={bus.pan}
          onChange={(value, gesture) => set({ pan: value }, gesture)}
        />
      </div>
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
function Takes({ pocket, bus, set }: { pocket: Pocket; bus: Bus; set: BusChange }) {
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
