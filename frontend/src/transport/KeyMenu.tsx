import type { Pocket } from "../api/types";
import { edit } from "../app/edits";
import { keyName } from "../app/fitting";
import { Menu } from "../design/Menu";

const MODES = ["major", "minor"] as const;

/** The key that the pocket is in. */
export function KeyMenu({ pocket }: { pocket: Pocket }) {
  const all = MODES.flatMap((mode) => Array.from({ length: 12 }, (_, tonic) => ({ tonic, mode })));
  const set = (key: Pocket["key"]) => void edit({ type: "set_key", key });
  return (
    <Menu
      label="Key of the pocket"
      trigger={
        <button type="button" aria-label={`Key of the pocket: ${keyName(pocket.key) || "none"}`} className="-mx-1 rounded-[2px] px-1 hover:bg-well">
          {keyName(pocket.key) || "–"}
        </button>
      }
      items={[
        { label: "none", checked: pocket.key === null, onSelect: () => set(null) },
        null,
        ...all.map((key) => ({ label: keyName(key), checked: pocket.key?.tonic === key.tonic && pocket.key.mode === key.mode, onSelect: () => set(key) })),
      ]}
    />
  );
}
