import { memo } from "react";

import type { Pocket } from "../api/types";
import { edit } from "../app/edits";
import { keyName } from "../app/fitting";
import { type Item, Menu } from "../design/Menu";

type Key = NonNullable<Pocket["key"]>;
const MODES = ["major", "minor"] as const;

/** All keys to choose from; none: what having none is called. */
export function keyItems(value: Pocket["key"], none: string, set: (key: Pocket["key"]) => void): (Item | null)[] {
  const all = MODES.flatMap((mode) => Array.from({ length: 12 }, (_, tonic) => ({ tonic, mode })));
  const same = (key: Key) => value?.tonic === key.tonic && value.mode === key.mode;
  return [
    { label: none, checked: value === null, onSelect: () => set(null) },
    null,
    ...all.map((key) => ({ label: keyName(key), checked: same(key), onSelect: () => set(key) })),
  ];
}

/** The key that the pocket is in. Made anew only when it changes: the top bar is drawn again after every edit. */
export const KeyMenu = memo(function KeyMenu({ value }: { value: Pocket["key"] }) {
  return (
    <Menu
      label="Key of the pocket"
      trigger={
        <button
          type="button"
          aria-label={`Key of the pocket: ${keyName(value) || "none"}`}
          className="-mx-1 rounded-[2px] px-1 hover:bg-well"
        >
          {keyName(value) || "–"}
        </button>
      }
      items={keyItems(value, "none", (key) => void edit({ type: "set_key", key }))}
    />
  );
});
