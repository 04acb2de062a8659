/** Edits go to the server one after another, each on the state that the one before it left. */
import { api, ApiError, ask, OFFLINE } from "../api/client";
import type { Edit, EditReply, PocketState, StaleProblem, UnreadableProblem } from "../api/types";
import { mark } from "../audio/engine";
import { loopPlayer } from "../audio/loop";
import { usePocket } from "./pocket";
import { toast, unsay } from "./toasts";
import { useUnreadable } from "./unreadable";
import { useView } from "./view";

/** One per tab: edits of one gesture are joined only within it. */
const AUTHOR = crypto.randomUUID();
const RETRY_MS = 700;
const WAITING = "Waiting for the server";

interface Waiting {
  /** null: not an edit but a move through the history. */
  edit: Edit | null;
  way?: "undo" | "redo";
  gesture: string | null;
  /** The page's time before which it need not go: more of its gesture may come. */
  notBefore: number;
  settle: ((made: boolean) => void)[];
}

const waiting: Waiting[] = [];
let sending = false;
/** The gesture of the last edit that was sent, and when. */
const sent = { gesture: null as string | null, at: 0 };
let hurry = () => {};
// The hand lets go: what it made last is written down at once.
for (const end of ["pointerup", "pointercancel"]) window.addEventListener(end, () => hurry(), true);

/**
 * Make an edit. Resolves to whether it was made; says so itself when it was not. everyMs: of a gesture, edits go no closer than
 * that, until another edit waits or the hand lets go.
 */
export function edit(change: Edit, gesture: string | null = null, everyMs = 0): Promise<boolean> {
  return new Promise((resolve) => {
    const last = waiting[waiting.length - 1];
    if (gesture && last?.edit && last.gesture === gesture && last.edit.type === change.type) {
      // A drag outruns the server: only its newest place matters.
      last.edit = { ...last.edit, ...change } as Edit;
      last.settle.push(resolve);
    } else {
      const notBefore = gesture !== null && gesture === sent.gesture ? sent.at + everyMs : 0;
      waiting.push({ edit: change, gesture, notBefore, settle: [resolve] });
      if (waiting.length > 1) hurry();
    }
    void pump();
  });
}

/** Undo and redo wait their turn behind the edits. */
export function undo(): void {
  waiting.push({ edit: null, way: "undo", gesture: null, notBefore: 0, settle: [] });
  hurry();
  void pump();
}

export function redo(): void {
  waiting.push({ edit: null, way: "redo", gesture: null, notBefore: 0, settle: [] });
  hurry();
  void pump();
}

export function idle(): boolean {
  return !sending && waiting.length === 0;
}

/** Who waits while the last edit is on its way. */
const resting: (() => void)[] = [];

/** Once all that was entered so far is written down, or was refused: what a file, a print or a job is made of holds it. */
export function settled(): Promise<void> {
  if (idle()) return Promise.resolve();
  return new Promise((resolve) => {
    const last = waiting.at(-1);
    if (last) last.settle.push(() => resolve());
    else resting.push(resolve);
    hurry();
  });
}

/** What begins a job, or keeps something of the pocket elsewhere. */
export const OF_A_STATE = ["exports", "prints", "saved", "shelf", "clean", "split", "balance", "leak"];

api.use({
  async onRequest({ request, schemaPath }) {
    const what = schemaPath.split("/").at(-1) ?? "";
    if (request.method === "POST" && schemaPath.startsWith("/api/pockets/{pocket}/") && OF_A_STATE.includes(what))
      await settled();
    return undefined;
  },
});

async function pump(): Promise<void> {
  if (sending) return;
  sending = true;
  try {
    while (waiting.length) {
      await due();
      const next = waiting.shift() as Waiting;
      Object.assign(sent, { gesture: next.gesture, at: performance.now() });
      const made = next.way ? await move(next.way) : await send(next);
      for (const settle of next.settle) settle(made);
    }
  } finally {
    sending = false;
    for (const done of resting.splice(0)) done();
  }
}

/** When the first that waits is to go. */
async function due(): Promise<void> {
  const left = (waiting[0]?.notBefore ?? 0) - performance.now();
  if (left <= 0 || waiting.length > 1) return;
  await new Promise<void>((resolve) => {
    const timer = window.setTimeout(resolve, left);
    hurry = () => {
      window.clearTimeout(timer);
      resolve();
    };
  });
  hurry = () => {};
}

async function send(item: Waiting): Promise<boolean> {
  for (;;) {
    const open = usePocket.getState().open;
    if (!open || !item.edit) return false;
    try {
      mark("edit sent");
      const reply = await ask(
        api.POST("/api/pockets/{pocket}/edits", {
          params: { path: { pocket: open.id } },
          body: {
            version: open.version,
            edit: item.edit,
            gesture: item.gesture,
            author: AUTHOR,
            heard: useView.getState().pattern,
          },
        }),
      );
      mark("edit answered");
      unsay(WAITING);
      await take(reply as EditReply);
      mark("edit taken");
      return true;
    } catch (error) {
      const again = await recover(error, item);
      if (!again) return false;
    }
  }
}

/** What to do about an edit that was not made: true to send it again. */
async function recover(error: unknown, item: Waiting): Promise<boolean> {
  if (!(error instanceof ApiError)) throw error;
  if (error.status === 0 || error.status === 502) {
    toast({ title: WAITING, text: OFFLINE, tone: "note" });
    await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
    return true;
  }
  if (error.status === 409) {
    const stale = error.body as StaleProblem;
    usePocket.getState().setState(stale.state);
    if (stale.additive) return true;
    // What waits behind it was meant for the old state too.
    const held = [item, ...waiting.splice(0)];
    for (const other of held.slice(1)) for (const settle of other.settle) settle(false);
    toast({
      title: "Changed in another tab",
      text: stale.message,
      tone: "error",
      action: {
        label: "Make it anyway",
        run: () => held.forEach((one) => one.edit && void edit(one.edit, one.gesture)),
      },
    });
    await reloadSounds();
    return false;
  }
  toast({ title: error.code === "refused" ? "Not possible" : "Not done", text: error.message, tone: "error" });
  return false;
}

async function move(way: "undo" | "redo"): Promise<boolean> {
  const open = usePocket.getState().open;
  if (!open || !open[way]) return false;
  try {
    const body = { version: open.version, heard: useView.getState().pattern };
    const params = { path: { pocket: open.id } };
    const call =
      way === "undo"
        ? api.POST("/api/pockets/{pocket}/undo", { params, body })
        : api.POST("/api/pockets/{pocket}/redo", { params, body });
    await take((await ask(call)) as EditReply);
    return true;
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    if (error.status === 409) await reload();
    else toast({ title: `Could not ${way}`, text: error.message, tone: "error" });
    return false;
  }
}

async function take(reply: EditReply): Promise<void> {
  // The new sound is on its way before the page is drawn anew.
  void loopPlayer.update(reply.sounds.loop ?? null, () => void reloadSounds());
  if (!usePocket.getState().applyReply(reply)) await reload();
  choosePresent();
  if ((reply.sounds.loop?.pattern ?? null) !== heardPattern()) void reloadSounds();
}

/** When the pattern in view is gone, look at the newest there is; when there is none, it may yet be brought back. */
function choosePresent(): void {
  const patterns = Object.keys(usePocket.getState().open?.pocket.patterns ?? {});
  if (heardPattern() !== null || !patterns.length) return;
  patterns.sort((a, b) => Number(a.slice(1)) - Number(b.slice(1)));
  useView.getState().look({ pattern: patterns.at(-1) ?? null });
}

/** The pattern in view, if it is there. */
export function heardPattern(): string | null {
  const pattern = useView.getState().pattern;
  return pattern !== null && usePocket.getState().open?.pocket.patterns[pattern] ? pattern : null;
}

/** The whole state anew: after another tab's edit, an import, or a restart of the server. */
export async function reload(): Promise<void> {
  const open = usePocket.getState().open;
  if (open) await openPocket(open.id);
}

export async function openPocket(id: string): Promise<void> {
  let state;
  try {
    state = (await ask(api.GET("/api/pockets/{pocket}", { params: { path: { pocket: id } } }))) as PocketState;
  } catch (error) {
    if (!(error instanceof ApiError) || error.code !== "unreadable") throw error;
    useUnreadable.setState({ found: { pocket: id, problem: error.body as UnreadableProblem } });
    return;
  }
  useUnreadable.setState({ found: null });
  // Edits that were made meanwhile are newer than the answer.
  const now = usePocket.getState().open;
  if (now?.id === id && now.version > state.version) return;
  useView.getState().switchPocket(id);
  usePocket.getState().setState(state);
  choosePresent();
  await reloadSounds();
}

export async function reloadSounds(): Promise<void> {
  for (;;) {
    const open = usePocket.getState().open;
    if (!open) return;
    const pattern = useView.getState().pattern ?? "none";
    const sounds = await ask(
      api.GET("/api/pockets/{pocket}/sounds/{pattern}", { params: { path: { pocket: open.id, pattern } } }),
    );
    const now = usePocket.getState().open;
    if (now?.id !== open.id) return;
    // An edit may have overtaken the answer, or another pattern been chosen: then it tells of what is no longer so.
    if (now.version === open.version && (useView.getState().pattern ?? "none") === pattern) {
      usePocket.getState().setSounds(sounds);
      return;
    }
  }
}
