import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { edit } from "../app/edits";
import { usePocket } from "../app/pocket";
import { useView } from "../app/view";
import { EditableName } from "../design/EditableName";
import { Menu } from "../design/Menu";
import { choosePrint, type Print, PRINTS, usePrint } from "../design/print";

import { go } from "./PocketList";

/** The open pocket's name, and the way to others. */
export function Pockets() {
  const open = usePocket((s) => s.open);
  const [renaming, setRenaming] = useState(false);
  const print = usePrint((s) => s.print);
  const client = useQueryClient();
  const list =
    useQuery({ queryKey: ["pockets", open?.pocket.name], queryFn: () => ask(api.GET("/api/pockets")) }).data?.pockets ??
    [];
  if (!open) return null;
  return (
    <span className="flex min-w-0 items-center gap-1 text-ink2">
      <EditableName
        className="max-w-40 truncate"
        label="Name of the pocket"
        value={open.pocket.name}
        editing={renaming}
        onEditing={setRenaming}
        onChange={(name) => void edit({ type: "set_pocket", name })}
      />
      <Menu
        label="Pockets"
        onOpen={() => void client.invalidateQueries({ queryKey: ["pockets"] })}
        trigger={
          <button type="button" aria-label="Pockets" className="rounded-[2px] px-1 hover:bg-well">
            ▾
          </button>
        }
        items={[
          ...list.map((entry) => ({
            label: entry.name,
            checked: entry.id === open.id,
            onSelect: () => void go(entry.id),
          })),
          null,
          {
            label: "New pocket",
            onSelect: () =>
              void ask(api.POST("/api/pockets", { body: { name: `Pocket ${list.length + 1}` } }))
                .then((made) => go(made.id))
                .then(() => client.invalidateQueries({ queryKey: ["pockets"] })),
          },
          { label: "All pockets…", focuses: true, onSelect: () => useView.getState().look({ pocketList: true }) },
          { label: "Rename this one", onSelect: () => setTimeout(() => setRenaming(true)) },
          null,
          ...(Object.keys(PRINTS) as Print[]).map((one) => ({
            label: PRINTS[one],
            checked: print === one,
            onSelect: () => choosePrint(one),
          })),
        ]}
      />
    </span>
  );
}
