/** Patterns as MIDI files: saved, and brought in. */
import type { Edit, Hit } from "../api/types";
import { choosePattern } from "./actions";
import { edit } from "./edits";
import { ordered, usePocket } from "./pocket";
import { toast } from "./toasts";
import { useView } from "./view";

export function isMidi(file: File): boolean {
  return /\.midi?$/i.test(file.name);
}

export function saveMidi(pattern: string): void {
  const link = document.createElement("a");
  link.href = `/api/pockets/${usePocket.getState().open?.id}/patterns/${pattern}.mid`;
  link.download = "";
  link.click();
}

interface Read {
  name: string;
  bars: number;
  beats_per_bar: number;
  hits: Hit[];
}

/** A file as a new pattern: drums to the pads of the page in view, a melody to the chosen pad. */
export async function takeMidi(file: File): Promise<void> {
  const open = usePocket.getState().open;
  if (!open) return;
  const { page, pads, look } = useView.getState();
  try {
    const answer = await fetch(`/api/pockets/${open.id}/midi?page=${page}&pad=${pads[0] ?? page * 16}`, {
      method: "POST",
      headers: { "Content-Type": "application/octet-stream" },
      body: await file.arrayBuffer(),
    });
    if (!answer.ok) throw new Error(((await answer.json()) as { message?: string }).message ?? "It cannot be read.");
    const found = (await answer.json()) as Read;
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
    toast({
      title: `${file.name} was not taken`,
      text: error instanceof Error ? error.message : String(error),
      tone: "error",
    });
  }
}
