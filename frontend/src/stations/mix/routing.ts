import type { Pad, Pocket } from "../../api/types";

/** The bus that a pad is on, as the core routes it: by hand, else by its role, else the master. */
export function busOf(pocket: Pocket, pad: Pad): string {
  if (pad.bus !== null) return pocket.buses[pad.bus] ? pad.bus : "master";
  const role = pad.role;
  return (role && Object.values(pocket.buses).find((bus) => bus.roles.includes(role))?.id) || "master";
}

export function padsOn(pocket: Pocket, bus: string): number[] {
  return Object.entries(pocket.pads)
    .filter(([, pad]) => busOf(pocket, pad) === bus)
    .map(([index]) => Number(index))
    .sort((a, b) => a - b);
}
