/** Which finds share a time line: a mix, its stems and its cleaned copies. */
import type { Pocket, Source } from "../api/types";
import { ordered } from "./pocket";

export function rootOf(pocket: Pocket, source: Source): Source {
  return (source.kin && pocket.sources[source.kin.root]) || source;
}

/** The root first; alone when it has no kin. */
export function familyOf(pocket: Pocket, source: Source): Source[] {
  const root = rootOf(pocket, source);
  return [root, ...ordered(pocket.sources).filter((other) => other.kin?.root === root.id)];
}
