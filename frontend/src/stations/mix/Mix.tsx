/** Mix: buses as ribbons, returns, the master. */
import { usePocket } from "../../app/pocket";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import type { Role } from "../../api/types";
import { Master } from "./Master";
import { Ribbon } from "./Ribbon";

const BUSES: { label: string; name: string; roles: Role[] }[] = [
  { label: "Drums: kick, snare, hat, perc", name: "Drums", roles: ["kick", "snare", "hat", "perc"] },
  { label: "Kick alone", name: "Kick", roles: ["kick"] },
  { label: "Snares alone", name: "Snares", roles: ["snare"] },
  { label: "Keys: all that is tonal", name: "Keys", roles: ["tonal"] },
  { label: "Voices", name: "Voices", roles: ["vocal"] },
  { label: "Empty", name: "Bus", roles: [] },
];
const RETURNS = [
  { label: "Echo", name: "Echo", effects: ["echo"] },
  { label: "Reverb", name: "Reverb", effects: ["reverb"] },
  { label: "Empty", name: "Return", effects: [] },
];

export function Mix() {
  const pocket = usePocket((s) => s.open?.pocket);
  const chosen = useView((s) => s.pads);
  if (!pocket) return null;
  const buses = Object.values(pocket.buses);
  const here = chosen.filter((index) => pocket.pads[index]);
  const unused = (name: string) => {
    const taken = new Set(buses.map((bus) => bus.name));
    let number = 2;
    if (!taken.has(name)) return name;
    while (taken.has(`${name} ${number}`)) number++;
    return `${name} ${number}`;
  };
  return (
    <div className="flex min-h-0 grow flex-col px-4 pt-2.5 pb-2">
      <div className="mb-2 flex items-center gap-1.5">
        <Menu
          label="Add a bus"
          trigger={
            <Button tone="solid" hint="Pads that go through the same effects">
              + Bus
            </Button>
          }
          items={[
            ...BUSES.map(({ label, name, roles }) => ({
              label,
              onSelect: () => void edit({ type: "add_bus", name: unused(name), roles }),
            })),
            null,
            {
              label: here.length
                ? `From the chosen ${here.length === 1 ? "pad" : `${here.length} pads`}`
                : "From the chosen pads",
              disabled: !here.length,
              onSelect: () =>
                void edit({
                  type: "add_bus",
                  name: unused(pocket.pads[here[0] as number]?.called ?? "Bus"),
                  pads: here,
                }),
            },
          ]}
        />
        <Menu
          label="Add a return"
          trigger={<Button hint="An echo or a reverb that all buses can send to">+ Return</Button>}
          items={RETURNS.map(({ label, name, effects }) => ({
            label,
            onSelect: () => void edit({ type: "add_bus", name: unused(name), is_return: true, effects }),
          }))}
        />
        <span className="ml-2 truncate text-[12px] text-ink2">
          {buses.length
            ? "Ribbons show one pass of the pattern; what a duck or compressor takes away is hatched out."
            : "Everything goes straight to the master. A bus lets pads share effects."}
        </span>
      </div>
      <div className="thin-scroll flex min-h-0 grow flex-col gap-1.5 overflow-auto pr-1" tabIndex={-1}>
        {buses
          .filter((bus) => !bus.is_return)
          .map((bus) => (
            <Ribbon key={bus.id} pocket={pocket} bus={bus} />
          ))}
        {buses
          .filter((bus) => bus.is_return)
          .map((bus) => (
            <Ribbon key={bus.id} pocket={pocket} bus={bus} />
          ))}
        <Master pocket={pocket} />
      </div>
    </div>
  );
}
