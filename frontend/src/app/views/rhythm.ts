/** Rhythm: the pattern in view, its lanes and the tools beside it. */

export type RhythmTools = "quantise" | "place" | "feel" | "lane" | "melody" | "chords" | "takes";

export interface RhythmView {
  pattern: string | null;
  /** Groups of lanes that are open, by role. */
  unfolded: string[];
  /** Pads whose lanes are unfolded into rows of notes. */
  notes: number[];
  /** Lane, note (where the lane is unfolded) and beat of the keyboard's place in the pattern. */
  step: { pad: number; beat: number; note?: number } | null;
  /** Hits that are chosen, by id. */
  hits: string[];
  /** Which tools are out in Rhythm, how closely the steps are looked at, whether only notes of the key have rows. */
  tools: RhythmTools;
  zoom: number;
  keyRows: boolean;
  /** Notes are put as the chord that holds there. */
  asChord: boolean;
  /** What is played takes the place of what was played before it. */
  replaceTake: boolean;
}

export const RHYTHM: RhythmView = {
  pattern: null,
  unfolded: [],
  notes: [],
  step: null,
  hits: [],
  tools: "place",
  zoom: 1,
  keyRows: false,
  asChord: false,
  replaceTake: false,
};

/** What a reload does not bring back. */
export const RHYTHM_FLEETING: Partial<RhythmView> = { step: RHYTHM.step, hits: RHYTHM.hits };
