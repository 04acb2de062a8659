/** The shelf: favourites kept across pockets. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { fromShelf } from "../app/chopping";
import { queries } from "../app/queries";
import { toast } from "../app/toasts";
import { voices } from "../audio/voices";
import { Button } from "../design/Button";
import { ROLES } from "../design/roles";

export function Shelf() {
  const [open, setOpen] = useState(false);
  const { data } = useQuery({ queryKey: ["shelf"], queryFn: () => ask(api.GET("/api/shelf")), staleTime: 5000 });
  const shelf = data?.shelf ?? [];
  async function remove(favourite: string, name: string) {
    try {
      queries.setQueryData(
        ["shelf"],
        await ask(api.DELETE("/api/shelf/{favourite}", { params: { path: { favourite } } })),
      );
    } catch (error) {
      toast({ title: `${name} is still there`, text: (error as Error).message, tone: "error" });
    }
  }
  return (
    <section aria-label="Shelf" className="mt-1 border-t border-rule pt-1.5">
      <button
        type="button"
        aria-expanded={open}
        className="flex w-full items-center justify-between rounded-[2px] hover:bg-well"
        onClick={() => setOpen(!open)}
      >
        <span className="title text-[13.5px]">Shelf</span>
        <span className="text-[11.5px] text-ink2">
          {shelf.length} kept {open ? "▾" : "▸"}
        </span>
      </button>
      {open ? (
        shelf.length ? (
          <ul className="thin-scroll mt-1 max-h-[190px] overflow-auto text-[12px]">
            {shelf.map(({ id, favourite }) => (
              <li
                key={id}
                className="flex items-center gap-1 border-b border-rule py-[2px]"
                draggable
                onDragStart={(event) => event.dataTransfer.setData("text/favourite", JSON.stringify(favourite))}
              >
                <button
                  type="button"
                  aria-label={`Play ${favourite.name}`}
                  title={`From ${favourite.taken.record}`}
                  className="min-w-0 grow truncate rounded-[2px] text-left hover:bg-well"
                  onClick={() =>
                    void voices.audition(favourite.audio, 0, favourite.frames, favourite.trim ?? 0).catch(() =>
                      toast({
                        title: "Its sound is gone",
                        text: "Take it off the shelf, and keep it anew.",
                        tone: "error",
                      }),
                    )
                  }
                >
                  <span aria-hidden style={{ color: favourite.role ? ROLES[favourite.role].color : undefined }}>
                    {favourite.role ? ROLES[favourite.role].glyph : "–"}
                  </span>{" "}
                  {favourite.name}
                </button>
                <Button
                  className="!px-1.5 !py-0"
                  hint="On the next free pad"
                  aria-label={`${favourite.name} to a pad`}
                  onClick={() => fromShelf(favourite)}
                >
                  To pad
                </Button>
                <button
                  type="button"
                  aria-label={`Take ${favourite.name} off the shelf`}
                  className="rounded-[2px] px-1 text-ink2 hover:bg-well"
                  onClick={() => void remove(id, favourite.name)}
                >
                  ×
                </button>
              </li>
            ))}
          </ul>
        ) : (
          <p className="mt-1 text-[12px] text-ink2">Choose a pad and press Keep: the hit is here in every pocket.</p>
        )
      ) : null}
    </section>
  );
}
