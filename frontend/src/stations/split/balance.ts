/** How the stems of a record sound together. Kept in the browser, so that a reload shows the same. */
import { create } from "zustand";
import { persist } from "zustand/middleware";

import type { Source } from "../../api/types";
import { toast } from "../../app/toasts";
import { loopPlayer } from "../../audio/loop";
import { previewPlayer } from "../../audio/preview";
import { songPlayer } from "../../audio/song";
import { tapePlayer } from "../../audio/tape";

export interface StemSetting {
  level: number;
  pan: number;
  low: number;
  middle: number;
  high: number;
  mute: boolean;
  solo: boolean;
}

const PLAIN: StemSetting = { level: 0, pan: 0, low: 0, middle: 0, high: 0, mute: false, solo: false };

interface Balance {
  /** By stem: the hash of its sound, so that no other pocket's find of the same number takes it on. */
  stems: Record<string, StemSetting>;
  /** What is heard instead of the balance; { without }: the record less a stem. */
  compare: "balance" | "record" | "bypass" | { without: string };
  /** Whether all of that is heard as loud as the record. */
  even: boolean;
  /** What was asked for last; null: as the program has it. */
  engine: string | null;
  quality: string | null;
  without: string[];
}

export const useBalance = create<Balance>()(
  persist((): Balance => ({ stems: {}, compare: "balance", even: true, engine: null, quality: null, without: [] }), {
    name: "grain-pocket-stems",
    partialize: ({ stems, even, engine, quality, without }) => ({ stems, even, engine, quality, without }),
  }),
);

export function settingOf(stems: Record<string, StemSetting>, audio: string): StemSetting {
  return stems[audio] ?? PLAIN;
}

export function setStem(audio: string, change: Partial<StemSetting>): void {
  useBalance.setState(({ stems }) => ({ stems: { ...stems, [audio]: { ...settingOf(stems, audio), ...change } } }));
}

/** Sounds that were swapped for others keep what was set on them. */
export function carryOver(before: Source[], after: Source[]): void {
  const { stems } = useBalance.getState();
  const moved = after.flatMap((now) => {
    const was = before.find((one) => one.id === now.id);
    const set = was && was.audio !== now.audio ? stems[was.audio] : undefined;
    return set ? [[now.audio, set] as const] : [];
  });
  if (moved.length) useBalance.setState({ stems: { ...stems, ...Object.fromEntries(moved) } });
}

/** What is asked of the server: the stems that are heard, with what was set on them; bypass: as they were made. */
export function heardStems(members: Source[], stems: Record<string, StemSetting>, bypass = false) {
  const solo = members.some((one) => settingOf(stems, one.audio).solo);
  return members
    .filter((one) => {
      const set = settingOf(stems, one.audio);
      return !set.mute && (!solo || set.solo);
    })
    .map((one) => {
      const { level, pan, low, middle, high } = bypass ? PLAIN : settingOf(stems, one.audio);
      return { source: one.id, level, pan, low, middle, high };
    });
}

/** The same for what is compared: the balance, the record, or the record less one stem. */
export function compared(root: Source, members: Source[], { stems, compare }: Pick<Balance, "stems" | "compare">) {
  if (compare === "record") return [{ source: root.id }];
  if (typeof compare === "object")
    return members.filter((one) => one.id !== compare.without).map((one) => ({ source: one.id }));
  return heardStems(members, stems, compare === "bypass");
}

/** What a stem is called behind its record's name. */
export function partOf(stem: Source): string {
  return stem.name.split(", ").at(-1) ?? stem.name;
}

/** A stretch, round and round, instead of all else that sounds. */
export async function hear(source: Source, start: number, end: number, url: string): Promise<void> {
  loopPlayer.stop();
  songPlayer.stop();
  tapePlayer.stop();
  try {
    await previewPlayer.play(source.audio, start, end, url, source.trim, true);
  } catch (error) {
    toast({ title: "That cannot be heard", text: (error as Error).message, tone: "error" });
  }
}
