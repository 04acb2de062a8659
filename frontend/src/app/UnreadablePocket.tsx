/** A pocket whose last state cannot be opened: what is kept, and the way back to the state before it. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { Button } from "../design/Button";
import { openPocket } from "./edits";
import { useUnreadable } from "./unreadable";

const TIME = new Intl.DateTimeFormat(undefined, { dateStyle: "medium", timeStyle: "short" });

export function UnreadablePocket() {
  const found = useUnreadable((s) => s.found);
  const [failed, setFailed] = useState("");
  const list =
    useQuery({ queryKey: ["pockets", "others"], queryFn: () => ask(api.GET("/api/pockets")) }).data?.pockets ?? [];
  if (!found) return null;
  const { pocket, problem } = found;
  const go = (id: string) => openPocket(id).catch((error: Error) => setFailed(error.message));
  const back = () =>
    ask(api.POST("/api/pockets/{pocket}/undo", { params: { path: { pocket } }, body: { version: problem.version } }))
      .then(() => go(pocket))
      .catch((error: Error) => setFailed(error.message));
  return (
    <main className="grid h-full place-items-center p-6">
      <section className="w-[520px] max-w-full rounded-[4px] border-[1.5px] border-ink bg-card p-5">
        <h1 className="title text-[19px]">This pocket cannot be opened as it is</h1>
        <p className="mt-2">{problem.message}</p>
        {problem.sound ? (
          <p className="mt-3">
            <Button tone="solid" onClick={() => void back()}>
              Go back to {TIME.format(problem.sound.made * 1000)}, after “{problem.sound.label}”
            </Button>
          </p>
        ) : null}
        {failed ? (
          <p role="alert" className="mt-2">
            {failed}
          </p>
        ) : null}
        <h2 className="title mt-4 text-[15px]">Other pockets</h2>
        <ul className="mt-1 flex flex-wrap gap-2">
          {list
            .filter((entry) => entry.id !== pocket)
            .map((entry) => (
              <li key={entry.id}>
                <Button onClick={() => void go(entry.id)}>{entry.name}</Button>
              </li>
            ))}
          <li>
            <Button
              onClick={() =>
                void ask(api.POST("/api/pockets", { body: { name: "New pocket" } })).then((made) => go(made.id))
              }
            >
              New pocket
            </Button>
          </li>
        </ul>
      </section>
    </main>
  );
}
