/** Offers to join finds that came in and belong together: a stem beside its mix, files of one length. */
import { api, ask } from "../api/client";
import type { Source } from "../api/types";
import { edit } from "./edits";
import { usePocket } from "./pocket";
import { toast } from "./toasts";

/** Stems of a record are as long as it is, give or take an edge; shorter things are like each other by chance. */
const NEAR = 0.02;
const LEAST_FRAMES = 2 * 44100;

let pocket: string | null = null;
let known = new Set<string>();
const waiting: string[] = [];
let comparing = false;

usePocket.subscribe(({ open }) => {
  const sources = open?.pocket.sources ?? {};
  const ids = Object.keys(sources);
  if (open?.id === pocket) {
    // What was printed or came off the shelf knows where it is from.
    for (const id of ids)
      if (!known.has(id) && sources[id]?.kin === null && sources[id].origin.format !== "shelf") waiting.push(id);
    known = new Set([...known, ...ids]);
    if (waiting.length && !comparing) void compare();
  } else {
    pocket = open?.id ?? null;
    known = new Set(ids);
    waiting.length = 0;
  }
});

async function compare(): Promise<void> {
  comparing = true;
  try {
    for (let id = waiting.shift(); id; id = waiting.shift()) {
      const sources = usePocket.getState().open?.pocket.sources ?? {};
      const one = sources[id];
      if (!one || one.kin || one.frames < LEAST_FRAMES) continue;
      const others = Object.values(sources).filter(
        (other) =>
          other.id !== id && !other.kin && other.audio !== one.audio && Math.abs(other.frames / one.frames - 1) < NEAR,
      );
      for (const other of others.slice(0, 4)) if (await offered(one, other)) break;
    }
  } catch {
    // An offer that cannot be made is none: the musician can still join them by hand.
  } finally {
    comparing = false;
  }
}

async function offered(one: Source, other: Source): Promise<boolean> {
  const path = { pocket: pocket ?? "", source: one.id, other: other.id };
  const found = await ask(api.GET("/api/pockets/{pocket}/sources/{source}/kinship/{other}", { params: { path } }));
  if (!found.related) return false;
  const [stem, mix, offset] = found.part ? [one, other, found.offset] : [other, one, -found.offset];
  toast({
    title: `${stem.name} is in ${mix.name}`,
    text: "Joined, they share their cuts, and pads can change from one to the other.",
    tone: "note",
    stays: true,
    action: {
      label: "Join them",
      run: () => void edit({ type: "join_family", source: stem.id, root: mix.id, offset, likeness: found.likeness }),
    },
  });
  return true;
}
