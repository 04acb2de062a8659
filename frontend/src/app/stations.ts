/** The stations, in the order of the job: all that the house has to know of them. What each shows is in stations/pages. */
export interface About {
  key: string;
  label: string;
  /** What the space bar plays there. */
  plays: "find" | "pattern" | "song";
  /** It shows the wave of a find, and the keys of waves work in it. */
  wave: boolean;
  /** It takes the width of the finds, which are folded there unless they are asked for; and the strip of the pattern. */
  wide: boolean;
}

export const STATIONS = [
  { key: "listen", label: "Listen", plays: "find", wave: true, wide: false },
  { key: "split", label: "Split", plays: "find", wave: true, wide: false },
  { key: "chop", label: "Chop", plays: "find", wave: true, wide: false },
  { key: "shape", label: "Shape", plays: "pattern", wave: false, wide: true },
  { key: "rhythm", label: "Rhythm", plays: "pattern", wave: false, wide: false },
  { key: "mix", label: "Mix", plays: "pattern", wave: false, wide: true },
  { key: "song", label: "Song", plays: "song", wave: false, wide: true },
] as const satisfies readonly About[];

export type Station = (typeof STATIONS)[number]["key"];

export function aboutStation(key: Station): About {
  return STATIONS.find((one) => one.key === key) as About;
}

/** Stations in words: "Listen, Split and Chop". */
export function named(some: (one: About) => boolean): string {
  const names = STATIONS.filter(some).map(({ label }) => label);
  return names.length > 1 ? `${names.slice(0, -1).join(", ")} and ${names.at(-1)}` : names.join("");
}
