/** What is heard, written to a file by the worker, waited for here and fetched. */
import { useState } from "react";

import { api, ask } from "../api/client";
import type { Edit, Job } from "../api/types";
import { edit } from "../app/edits";
import { ended, fetchFile } from "../app/files";
import { usePocket } from "../app/pocket";
import { toast } from "../app/toasts";
import { tick } from "../start/firstBeat";

export interface Asked {
  what: string | undefined;
  ending: "loop" | "tail";
  passes: number;
  format: "wav" | "flac";
}

export function useExport(asked: Asked) {
  const open = usePocket((s) => s.open);
  const [job, setJob] = useState<Job | null>(null);
  const [said, setSaid] = useState<string | null>(null);
  const [waiting, setWaiting] = useState(false);
  /** A file that is written and not taken yet, because it goes over full scale. */
  const [over, setOver] = useState<Job | null>(null);

  async function save() {
    const { what, ...how } = asked;
    if (!open || !what) return;
    setSaid(null);
    setOver(null);
    setWaiting(true);
    try {
      const begun = await ask(
        api.POST("/api/pockets/{pocket}/exports", {
          params: { path: { pocket: open.id } },
          body: { what, ...how },
        }),
      );
      const now = await ended(begun, setJob);
      if (now.over_db) setOver(now);
      else take(now);
    } catch (error) {
      toast({ title: "Not exported", text: error instanceof Error ? error.message : String(error), tone: "error" });
    } finally {
      setJob(null);
      setWaiting(false);
    }
  }
  function take(done: Job) {
    fetchFile(`/api/jobs/${done.id}/file`);
    tick("export");
    setOver(null);
    setSaid(`${done.title}.${asked.format} is saved. ${done.message}`);
  }
  /** Once the tune itself is changed, so that what is heard stays what is saved. */
  async function saveAfter(change: Edit) {
    setOver(null);
    if (await edit(change)) await save();
  }
  const stop = () =>
    job && void ask(api.POST("/api/jobs/{job}/cancel", { params: { path: { job: job.id } } })).catch(() => undefined);

  return { job, said, waiting, over, forget: () => setSaid(null), save, saveAfter, take, stop };
}
