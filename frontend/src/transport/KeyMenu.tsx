import { memo } from "react";

import type { Pocket } from "../api/types";
import { edit } from "../app/edits";
import { keyName } from "../app/fitting";
import { Menu } from "../design/Menu";

const MODES = ["major", "minor"] as const;

/** The key that the pocket is in. Made anew only when it changes: the top bar is drawn again after every edit. */
export const KeyMenu = memo(function KeyMenu({ value }: { value: Pocket["key"] }) {
  const all = MODES.flatMap((mode) => Array.from({ length: 12 }, (_, tonic) => ({ tonic, mode })));
  const set = (key: Pocket["key"]) => void edit({ type: "set_key", key });
  return (
    <Menu
      label="Key of the pocket"
      trigger={
        <button type="button" aria-label={`Key of the pocket: ${keyName(value) || "none"}`} className="-mx-1 rounded-[2px] px-1 hover:bg-well">
          {keyName(value) || "–"}
        </button>
      }
      items={[
        { label: "none", checked: value === null, onSelect: () => set(null) },
        null,
        ...all.map((key) => ({ label: keyName(key), checked: value?.tonic === key.tonic && value.mode === key.mode, onSelect: () => set(key) })),
      ]}
    />
  );
});
