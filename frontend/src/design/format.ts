/** Numbers as a musician reads them. */

/** Pitch classes from C up, spelled as the core spells them. */
export const NOTES = ["C", "Db", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B"];

export function fixed(value: number, digits: number): string {
  const text = (Math.abs(value) < 0.5 * 10 ** -digits ? 0 : value).toFixed(digits);
  return text.replace("-", "\u2212");
}

/** Also a fraction: 3/4. */
export function parseNumber(text: string): number | null {
  const fraction = /^\s*(\d+)\s*\/\s*(\d+)\s*$/.exec(text);
  if (fraction && Number(fraction[2])) return Number(fraction[1]) / Number(fraction[2]);
  const value = Number.parseFloat(text.replace(",", ".").replace("\u2212", "-"));
  return Number.isFinite(value) ? value : null;
}

export function seconds(value: number): string {
  if (value < 60) return `${value.toFixed(2)} s`;
  const minutes = Math.floor(value / 60);
  return `${minutes}:${(value - minutes * 60).toFixed(1).padStart(4, "0")} min`;
}

/** Minutes and seconds, as a clock. */
export function clock(value: number): string {
  const minutes = Math.floor(value / 60);
  return `${minutes}:${(value - minutes * 60).toFixed(1).padStart(4, "0")}`;
}

/** bar · beat · sixteenth, counted from one; the bar before bar one is −1. */
export function position(beat: number, beatsPerBar: number): string {
  const at = beat + 1e-6;
  const bar = Math.floor(at / beatsPerBar);
  const inBar = at - bar * beatsPerBar;
  return `${bar < 0 ? `\u2212${-bar}` : bar + 1} · ${Math.floor(inBar) + 1} · ${Math.floor((inBar % 1) * 4) + 1}`;
}
