import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { edit, openPocket } from "../app/edits";
import { usePocket } from "../app/pocket";
import { toast } from "../app/toasts";
import { EditableName } from "../design/EditableName";
import { Menu } from "../design/Menu";

/** The open pocket's name, and the way to others. */
export function Pockets() {
  const open = usePocket((s) => s.open);
  const [renaming, setRenaming] = useState(false);
  const client = useQueryClient();
  const list =
    useQuery({ queryKey: ["pockets", open?.pocket.name], queryFn: () => ask(api.GET("/api/pockets")) }).data?.pockets ??
    [];
  if (!open) return null;
  const go = (id: string) =>
    openPocket(id).catch((error: Error) =>
      toast({ title: "That pocket could not be opened", text: error.message, tone: "error" }),
    );

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
          { label: "Rename this one", onSelect: () => setTimeout(() => setRenaming(true)) },
        ]}
      />
    </span>
  );
}
