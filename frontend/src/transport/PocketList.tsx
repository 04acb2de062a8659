/** All pockets: when each was last worked on and how long its song is; copies, and the bin. */
import { useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask } from "../api/client";
import { addressOf } from "../app/address";
import { openPocket } from "../app/edits";
import { usePocket } from "../app/pocket";
import { toast } from "../app/toasts";
import { useView } from "../app/view";
import { Button } from "../design/Button";
import { Dots } from "../design/Menu";
import { clock } from "../design/format";
import { Sheet } from "../design/Sheet";

const KEY = ["pockets"];

interface Entry {
  id: string;
  name: string;
  touched: number;
  seconds?: number | null;
  finds: number;
  patterns: number;
  binned?: number | null;
}

function failed(title: string) {
  return (error: Error) => toast({ title, text: error.message, tone: "error" });
}

export function go(id: string): Promise<void> {
  return openPocket(id).catch(failed("That pocket could not be opened"));
}

export function PocketList() {
  const shown = useView((s) => s.pocketList);
  const close = () => useView.getState().look({ pocketList: false });
  return (
    <Sheet open={shown} onOpenChange={(pocketList) => useView.getState().look({ pocketList })} title="Pockets">
      <Rows close={close} />
    </Sheet>
  );
}

function Rows({ close }: { close: () => void }) {
  const client = useQueryClient();
  const open = usePocket((s) => s.open);
  const list = useQuery({ queryKey: KEY, queryFn: () => ask(api.GET("/api/pockets")), staleTime: 0 }).data;
  if (!list) return null;
  const renew = () => client.invalidateQueries({ queryKey: KEY });

  async function away(entry: Entry) {
    try {
      const rest = await ask(api.DELETE("/api/pockets/{pocket}", { params: { path: { pocket: entry.id } } }));
      client.setQueryData(KEY, rest);
      if (entry.id === open?.id) {
        const next = rest.pockets[0] ?? (await ask(api.POST("/api/pockets", { body: { name: "First pocket" } })));
        await go(next.id);
        await renew();
      }
      toast({
        title: `${entry.name} is in the bin`,
        text: `It stays there for ${rest.days} days.`,
        tone: "note",
        action: { label: "Take back", run: () => void back(entry) },
      });
    } catch (error) {
      failed("The pocket stays where it is")(error as Error);
    }
  }
  async function back(entry: Entry) {
    try {
      client.setQueryData(
        KEY,
        await ask(api.POST("/api/pockets/{pocket}/restore", { params: { path: { pocket: entry.id } } })),
      );
    } catch (error) {
      failed("The pocket stays in the bin")(error as Error);
    }
  }
  async function copy(entry: Entry) {
    try {
      const body = { name: `${entry.name.slice(0, 70)}, copy` };
      await ask(api.POST("/api/pockets/{pocket}/copy", { params: { path: { pocket: entry.id } }, body }));
      await renew();
    } catch (error) {
      failed("Nothing was copied")(error as Error);
    }
  }
  const tab = (id: string) => window.open(addressOf({ pocket: id, station: null, source: null }), "_blank");
  return (
    <>
      <table className="w-full text-[12.5px]" aria-label="All pockets">
        <thead>
          <tr className="border-b border-ink text-left text-[11.5px] text-ink2">
            <th className="py-1 font-normal">name</th>
            <th className="font-normal">worked on</th>
            <th className="font-normal">song</th>
            <th className="font-normal">holds</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {list.pockets.map((entry) => (
            <tr key={entry.id} className="border-b border-rule">
              <td className="max-w-60 truncate py-1.5 pr-3">
                <button
                  type="button"
                  className="title text-[14px] hover:underline"
                  onClick={() => void go(entry.id).then(close)}
                >
                  {entry.name}
                </button>
                {entry.id === open?.id ? <span className="ml-2 text-[11.5px] text-ink2">open</span> : null}
              </td>
              <td className="pr-3 whitespace-nowrap">{day(entry.touched)}</td>
              <td className="pr-3">{entry.seconds ? clock(entry.seconds) : "–"}</td>
              <td className="pr-3 whitespace-nowrap text-ink2">
                {entry.finds} {entry.finds === 1 ? "find" : "finds"}, {entry.patterns}{" "}
                {entry.patterns === 1 ? "pattern" : "patterns"}
              </td>
              <td className="text-right whitespace-nowrap">
                <Button onClick={() => tab(entry.id)}>In another tab</Button>{" "}
                <Dots
                  name={`Menu of the pocket ${entry.name}`}
                  label={`${entry.name}: what to do`}
                  items={[
                    { label: "Copy it", onSelect: () => void copy(entry) },
                    { label: "Put it in the bin", onSelect: () => void away(entry) },
                  ]}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {list.bin.length ? (
        <section aria-label="The bin" className="mt-4">
          <h2 className="title text-[15px]">The bin</h2>
          <p className="mb-1 text-[12px] text-ink2">
            What lies here is gone for good {list.days} days after it was put in.
          </p>
          {list.bin.map((entry) => (
            <div key={entry.id} className="flex items-center gap-3 border-b border-rule py-1.5 text-[12.5px]">
              <span className="min-w-0 grow truncate">{entry.name}</span>
              <span className="text-ink2">since {day(entry.binned ?? 0)}</span>
              <Button onClick={() => void back(entry)}>Take back</Button>
            </div>
          ))}
        </section>
      ) : null}
    </>
  );
}

function day(seconds: number): string {
  return new Date(seconds * 1000).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}
