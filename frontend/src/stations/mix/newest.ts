import type { Effect } from "../../api/types";
import { usePocket } from "../../app/pocket";

export function chainOf(bus: string): Effect[] {
  const pocket = usePocket.getState().open?.pocket;
  if (bus.startsWith("pad:")) return pocket?.pads[bus.slice(4)]?.sound.chain ?? [];
  return (bus === "master" ? pocket?.chain : pocket?.buses[bus]?.chain) ?? [];
}

/** The effect that a chain has and had not before. */
export function newest(bus: string, before: Set<string>): string | null {
  return chainOf(bus).find(({ id }) => !before.has(id))?.id ?? null;
}
