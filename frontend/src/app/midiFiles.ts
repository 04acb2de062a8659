/** Patterns as MIDI files: saved, and brought in. */
import type { Edit, Hit, Pattern } from "../api/types";
import { choosePattern } from "./actions";
import { edit } from "./edits";
import { fetchOfPocket } from "./files";
import { ordered, usePocket } from "./pocket";
import { toast } from "./toasts";
import { useView } from "./view";

export function isMidi(file: File): boolean {
  return /\.midi?$/i.test(file.name);
}

export function saveMidi(pattern: string): void {
  void fetchOfPocket(`patterns/${pattern}.mid`);
}

interface Read {
  name: string;
  bars: number;
  beats_per_bar: number;
  hits: Hit[];
}

/** What a file holds, its drums on the pads of the page in view, its melody on a pad. */
async function read(file: File, pad: number): Promise<Read> {
  const { page } = useView.getState();
  const answer = await fetch(`/api/pockets/${usePocket.getState().open?.id}/midi?page=${page}&pad=${pad}`, {
    method: "POST",
    headers: { "Content-Type": "application/octet-stream" },
    body: await file.arrayBuffer(),
  });
  if (!answer.ok) throw new Error(((await answer.json()) as { message?: string }).message ?? "It cannot be read.");
  return (await answer.json()) as Read;
}

function refused(file: File, error: unknown): void {
  toast({
    title: `${file.name} was not taken`,
    text: error instanceof Error ? error.message : String(error),
    tone: "error",
  });
}

/** A file onto a lane: all that it plays, on that pad. What lies behind the end of the pattern is left out. */
export async function midiOntoLane(file: File, pattern: Pattern, pad: number): Promise<void> {
  try {
    const found = await read(file, pad);
    const hits = found.hits
      .filter((hit) => hit.beat < pattern.bars * pattern.beats_per_bar)
      .map((hit) => ({ ...hit, pad, note: hit.pad === pad ? hit.note : 0 }));
    if (hits.length) await edit({ type: "put_hits", pattern: pattern.id, hits });
  } catch (error) {
    refused(file, error);
  }
}

/** A file as a new pattern: drums to the pads of the page in view, a melody to the chosen pad. */
export async function takeMidi(file: File): Promise<void> {
  if (!usePocket.getState().open) return;
  const { page, pads, look } = useView.getState();
  try {
    const found = await read(file, pads[0] ?? page * 16);
    const name =
      found.name === "From MIDI" ? file.name.replace(/\.midi?$/i, "").slice(0, 80) || found.name : found.name;
    const made: Edit = {
      type: "add_pattern",
      name,
      bars: found.bars,
      beats_per_bar: found.beats_per_bar,
      hits: found.hits,
    };
    if (!(await edit(made))) return;
    await choosePattern(ordered(usePocket.getState().open?.pocket.patterns ?? {}).at(-1)?.id ?? null);
    look({ station: "rhythm" });
  } catch (error) {
    refused(file, error);
  }
}
