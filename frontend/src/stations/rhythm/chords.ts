/** Chords in words, and the notes of the key: both as the core has them (core/notes). */
import type { About, Pattern } from "../../api/types";

let known: Pick<About, "chords" | "tonics" | "scales"> = { chords: {}, tonics: [], scales: {} };

/** Told by the server once. */
export function learnChords(about: About): void {
  known = about;
}

export function chordName(tonic: number, kind: string): string {
  return `${known.tonics[tonic % 12]}${known.chords[kind] ?? ` ${kind}`}`;
}

/** Whether a key (MIDI) lies in a scale. */
export function inScale(key: number, tonic: number, mode: string): boolean {
  return known.scales[mode]?.includes((((key - tonic) % 12) + 12) % 12) ?? true;
}

export function chordNames(pattern: Pattern): { beat: number; name: string }[] {
  return pattern.chords.map((chord) => ({ beat: chord.beat, name: chordName(chord.tonic, chord.kind ?? "major") }));
}

/** As it is typed: bars apart by "|", a bar that goes on as "%". */
export function typed(pattern: Pattern): string {
  if (!pattern.chords.length) return "";
  const names = chordNames(pattern);
  return Array.from({ length: pattern.bars }, (_, bar) => {
    const first = bar * pattern.beats_per_bar;
    const here = names.filter(({ beat }) => beat >= first && beat < first + pattern.beats_per_bar);
    return here.map(({ name }) => name).join(" ") || "%";
  }).join(" | ");
}
