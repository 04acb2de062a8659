/** The server's stream: another tab's edits, finished imports, progress of jobs. */
import { create } from "zustand";

import { api, ApiError, ask } from "../api/client";
import type { Job } from "../api/types";
import { useLoop } from "../audio/loop";
import { useSong } from "../audio/song";
import { idle, reload } from "./edits";
import { usePocket } from "./pocket";
import { toast } from "./toasts";
import { useView } from "./view";

interface Jobs {
  jobs: Record<string, Job>;
  connected: boolean;
}

/** How a file is sent once more; set by what sends files, which follows its jobs here. */
export const onceMore: { get: ((job: string) => (() => void) | null) | null } = { get: null };

export const useJobs = create<Jobs>(() => ({ jobs: {}, connected: true }));

const OPEN_STATES = ["queued", "running"];
// A browser keeps six connections to one server: tabs that nobody sees must leave them to the one that is used.
const REST_AFTER_MS = 10_000;

export function noteJob(job: Job): void {
  const before = useJobs.getState().jobs[job.id];
  const jobs = { ...useJobs.getState().jobs };
  if (OPEN_STATES.includes(job.state)) jobs[job.id] = job;
  else delete jobs[job.id];
  useJobs.setState({ jobs });
  if (!before || before.state === job.state) return;
  // Whoever exports waits for it and tells.
  if (job.kind === "export" || job.kind === "save") return;
  if (job.state === "failed")
    toast({
      title: `${job.title} was not ${job.kind === "print" ? "made" : job.kind === "leak" ? "moved" : "added"}`,
      text: job.message,
      tone: "error",
    });
  if (job.state === "cancelled") toast({ title: `${job.title} cancelled`, text: job.message, tone: "note" });
  if (job.state === "done" && job.kind === "print") toast({ title: `${job.title} is among the finds`, tone: "note" });
  if (job.state !== "done" || !job.message) return;
  if (job.found)
    toast({ title: `${job.title} is there already`, text: job.message, tone: "note", stays: true, action: again(job) });
  else toast({ title: `${job.title} added, with a note`, text: job.message, tone: "error" });
}

/** Only the tab that sent the file still has it. */
function again(job: Job): { label: string; run: () => void } | undefined {
  if (job.found) useView.getState().look({ source: job.found, cuts: [], selection: null, cursor: 0 });
  const run = onceMore.get?.(job.id);
  return run ? { label: "Add it all the same", run } : undefined;
}

/** What became of the jobs that were open when the stream was lost: their end is told late rather than never. */
async function askAfter(jobs: Job[]): Promise<void> {
  for (const { id } of jobs) {
    try {
      noteJob(await ask(api.GET("/api/jobs/{job}", { params: { path: { job: id } } })));
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      // One that the server knows no more; without an answer it stays, and is asked after at the next connection.
      if (error.status !== 404) return;
      const jobs = { ...useJobs.getState().jobs };
      delete jobs[id];
      useJobs.setState({ jobs });
    }
  }
}

/** Follow a pocket; returns how to stop. */
export function follow(pocket: string): () => void {
  useJobs.setState({ jobs: {} });
  let stream: EventSource | null = null;
  let stopped = false;
  let timer = 0;
  let resting = 0;

  function connect() {
    stream = new EventSource(`/api/pockets/${pocket}/events`);
    stream.addEventListener("open", () => {
      useJobs.setState({ connected: true });
      void askAfter(Object.values(useJobs.getState().jobs));
    });
    stream.addEventListener("version", (event) => catchUp(Number(event.data)));
    stream.addEventListener("job", (event) => noteJob(JSON.parse(event.data) as Job));
    stream.addEventListener("error", () => {
      useJobs.setState({ connected: false });
      stream?.close();
      if (!stopped) timer = window.setTimeout(connect, 800);
    });
  }
  function catchUp(version: number) {
    const open = usePocket.getState().open;
    if (stopped || !open || open.id !== pocket || open.version === version) return;
    // An edit of ours may be on its way back: look again when it has arrived.
    if (!idle()) window.setTimeout(() => catchUp(version), 60);
    else if (open.version < version) void reload().catch(() => undefined);
  }
  /** Let go of the stream while nobody looks, unless a job's end is still to be told or the loop follows edits. */
  function rest() {
    if (useLoop.getState().playing || useSong.getState().playing || Object.keys(useJobs.getState().jobs).length) {
      resting = window.setTimeout(rest, REST_AFTER_MS);
      return;
    }
    window.clearTimeout(timer);
    stream?.close();
    stream = null;
  }
  function seen() {
    window.clearTimeout(resting);
    if (document.visibilityState === "hidden") resting = window.setTimeout(rest, REST_AFTER_MS);
    else if (!stream) connect();
  }
  connect();
  document.addEventListener("visibilitychange", seen);
  // A job that begins while the tab rests, as at the end of a long upload, is followed to its end.
  const unsubscribe = useJobs.subscribe(({ jobs }) => {
    if (stopped || stream || !Object.keys(jobs).length) return;
    connect();
    seen();
  });
  return () => {
    stopped = true;
    unsubscribe();
    document.removeEventListener("visibilitychange", seen);
    window.clearTimeout(resting);
    window.clearTimeout(timer);
    stream?.close();
  };
}
