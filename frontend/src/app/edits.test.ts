/** The queue of edits, against a server that answers when the test says so. */
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import openapi from "../../../docs/openapi.json";

interface Asked {
  path: string;
  body: Record<string, unknown>;
  answer: (status: number, body: unknown) => void;
  lose: () => void;
}

const server = vi.hoisted(() => {
  const asked: Asked[] = [];
  const kept = new Map<string, string>();
  const storage = { getItem: (k: string) => kept.get(k) ?? null, setItem: (k: string, v: string) => kept.set(k, v) };
  Object.assign(globalThis, {
    window: { addEventListener: () => {}, setTimeout, clearTimeout, localStorage: storage },
    localStorage: storage,
    location: { href: "http://localhost/" },
    fetch: async (request: Request) => {
      if (request.url.includes("/sounds/")) return new Response(JSON.stringify({ voices: {}, loop: null }));
      const text = request.method === "POST" ? await request.text() : "{}";
      return new Promise((resolve, reject) => {
        asked.push({
          path: new URL(request.url).pathname,
          body: JSON.parse(text || "{}") as Record<string, unknown>,
          answer: (status, body) => resolve(new Response(JSON.stringify(body), { status })),
          lose: () => reject(new Error("away")),
        });
      });
    },
  });
  const Plain = globalThis.Request;
  // Addresses of the page's own server have no host.
  globalThis.Request = class extends Plain {
    constructor(input: string | URL | Request, init?: RequestInit) {
      super(typeof input === "string" && input.startsWith("/") ? `http://localhost${input}` : input, init);
    }
  };
  return { asked };
});

vi.mock("../audio/loop", () => ({ loopPlayer: { update: () => Promise.resolve() } }));
vi.mock("../audio/engine", () => ({ mark: () => {} }));

const { api, ask } = await import("../api/client");
const { edit, idle, OF_A_STATE, settled, undo } = await import("./edits");
const { usePocket } = await import("./pocket");
const { useToasts } = await import("./toasts");

const POCKET = { patterns: {}, sources: {}, pads: {}, feels: {}, buses: {}, sections: {}, threads: {}, tempo: 100 };
const state = (version: number) => ({ id: "p", version, undo: "Set tempo", redo: null, pocket: POCKET });

/** The next request of this kind, once it is there. */
async function next(end: string): Promise<Asked> {
  return vi.waitFor(() => {
    const at = server.asked.findIndex((one) => one.path.endsWith(end));
    expect(at).toBeGreaterThanOrEqual(0);
    return server.asked.splice(at, 1)[0] as Asked;
  });
}

/** Answer an edit as the server does that made it. */
function made(one: Asked, version = Number(one.body.version) + 1): void {
  const changes = { fields: { tempo: version }, ...POCKET };
  one.answer(200, {
    from_version: one.body.version,
    version,
    undo: "Set tempo",
    redo: null,
    changes: { ...changes, tempo: undefined },
    sounds: { voices: {}, loop: null },
  });
}

const tempo = (bpm: number) => ({ type: "set_pocket" as const, tempo: bpm });
const asTempo = (one: Asked) => (one.body.edit as { tempo: number }).tempo;

beforeEach(() => {
  usePocket.setState({ open: { ...state(1), sounds: null } as never });
  server.asked.length = 0;
});

afterEach(() => vi.waitFor(() => expect(idle()).toBe(true)));

test("edits go one after another, each on the state that the one before it left", async () => {
  void edit(tempo(90));
  const last = edit(tempo(91));
  const first = await next("/edits");
  expect([asTempo(first), first.body.version]).toEqual([90, 1]);
  expect(server.asked.filter((one) => one.path.endsWith("/edits"))).toEqual([]);
  made(first);
  const second = await next("/edits");
  expect([asTempo(second), second.body.version]).toEqual([91, 2]);
  made(second);
  expect(await last).toBe(true);
});

test("of one drag only the newest place waits, and all who asked are told", async () => {
  const told = [edit(tempo(90), "g")];
  const first = await next("/edits");
  told.push(edit(tempo(91), "g"), edit(tempo(92), "g"));
  made(first);
  const second = await next("/edits");
  expect([asTempo(first), asTempo(second), second.body.gesture]).toEqual([90, 92, "g"]);
  made(second);
  expect(await Promise.all(told)).toEqual([true, true, true]);
});

test("a gesture waits its time, and no longer once something else is asked for", async () => {
  const first = edit(tempo(90), "slow", 60_000);
  made(await next("/edits"));
  await first;
  const held = edit(tempo(91), "slow", 60_000);
  await new Promise((resolve) => setTimeout(resolve, 20));
  expect(server.asked.some((one) => one.path.endsWith("/edits"))).toBe(false);
  const ready = settled();
  made(await next("/edits"));
  expect(await held).toBe(true);
  await ready;
});

test("a file is asked for when all that was entered before it is written down", async () => {
  void edit(tempo(90));
  void edit(tempo(91));
  const body = { what: "p1", ending: "loop" as const, passes: 1, format: "wav" as const };
  void ask(api.POST("/api/pockets/{pocket}/exports", { params: { path: { pocket: "p" } }, body }));
  made(await next("/edits"));
  const second = await next("/edits");
  expect(server.asked.some((one) => one.path.endsWith("/exports"))).toBe(false);
  made(second);
  (await next("/exports")).answer(202, { id: "j", state: "queued" });
});

test("whatever begins a job of a pocket waits for its edits", () => {
  const jobs = Object.entries(openapi.paths)
    .filter(([, way]) => "202" in ((way as { post?: { responses: object } }).post?.responses ?? {}))
    .map(([path]) => path.split("/").at(-1));
  // What comes in is not made of the pocket.
  const incoming = ["imports", "end"];
  expect(jobs.length).toBeGreaterThan(5);
  expect(jobs.filter((one) => !OF_A_STATE.includes(one ?? "") && !incoming.includes(one ?? ""))).toEqual([]);
});

test("an edit that is refused is said, and a file waits for it no longer", async () => {
  const refused = edit(tempo(9));
  const ready = settled();
  (await next("/edits")).answer(422, { code: "refused", message: "A tempo is at least 20." });
  expect(await refused).toBe(false);
  await ready;
  expect(useToasts.getState().toasts.map((one) => one.text)).toContain("A tempo is at least 20.");
});

test("an edit on which the server went away is sent again as it was", async () => {
  const kept = edit(tempo(90));
  (await next("/edits")).lose();
  const again = await next("/edits");
  expect([asTempo(again), again.body.version]).toEqual([90, 1]);
  made(again);
  expect(await kept).toBe(true);
});

test("finds that came in between do not hold an edit up; another tab's edit does, with all behind it", async () => {
  const first = edit(tempo(90));
  const stale = await next("/edits");
  stale.answer(409, { code: "stale", additive: true, message: "", state: state(5) });
  const again = await next("/edits");
  expect(again.body.version).toBe(5);
  made(again);
  expect(await first).toBe(true);
  const held = [edit(tempo(91)), edit(tempo(92))];
  (await next("/edits")).answer(409, { code: "stale", additive: false, message: "Someone", state: state(9) });
  expect(await Promise.all(held)).toEqual([false, false]);
  expect(usePocket.getState().open?.version).toBe(9);
});

test("undo waits its turn behind the edits", async () => {
  void edit(tempo(90));
  undo();
  made(await next("/edits"));
  const back = await next("/undo");
  expect(back.body.version).toBe(2);
  made(back);
});
