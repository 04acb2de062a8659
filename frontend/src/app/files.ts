/** Files that the server writes or has, fetched as the browser saves them. */
import { api, ask } from "../api/client";
import type { Job } from "../api/types";
import { usePocket } from "./pocket";
import { settled } from "./edits";
import { toast } from "./toasts";

const POLL_MS = 150;
const OPEN = ["queued", "running"];

/** A file that the server makes of the pocket as it is, once what was entered before is part of it. */
export async function fetchOfPocket(rest: string): Promise<void> {
  const pocket = usePocket.getState().open?.id;
  await settled();
  if (pocket) fetchFile(`/api/pockets/${pocket}/${rest}`);
}

export function fetchFile(address: string): void {
  const link = document.createElement("a");
  link.href = address;
  link.download = "";
  link.click();
}

/** A job, followed to its end; told: how far it has come. Throws what it says when it fails. */
export async function ended(job: Job, told: (job: Job) => void = () => undefined): Promise<Job> {
  let now = job;
  while (OPEN.includes(now.state)) {
    told(now);
    await new Promise((resolve) => setTimeout(resolve, POLL_MS));
    now = await ask(api.GET("/api/jobs/{job}", { params: { path: { job: now.id } } }));
  }
  if (now.state !== "done") throw new Error(now.message);
  return now;
}

/** Finds as files: one as it is, several in a ZIP. */
export async function saveFinds(sources: string[]): Promise<void> {
  const open = usePocket.getState().open;
  if (!open) return;
  try {
    const job = await ended(
      await ask(
        api.POST("/api/pockets/{pocket}/saved", {
          params: { path: { pocket: open.id } },
          body: { sources, format: "wav" },
        }),
      ),
    );
    fetchFile(`/api/jobs/${job.id}/file`);
    toast({ title: `${job.title} is saved`, tone: "note" });
  } catch (error) {
    toast({ title: "Nothing was saved", text: (error as Error).message, tone: "error" });
  }
}
