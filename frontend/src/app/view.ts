/** Where the musician is looking. Kept in the browser per pocket, so that a reload shows the same. */
import { create } from "zustand";
import { persist } from "zustand/middleware";

import type { Cleaning, Role, Snap } from "../api/types";
import type { SelectSnap } from "../wave/span";

export type Station = "listen" | "chop" | "shape" | "rhythm" | "mix" | "song";
export type ListenPanel = "tempo" | "worth" | "clean";
export type Column = "number" | "length" | "name" | "role" | "clean" | "pitch" | "level" | "pad";
export interface TableView {
  by: Column;
  down: boolean;
  roles: Role[];
  text: string;
}
export interface SearchView {
  text: string;
  roles: Role[];
  /** Which of the stretches of lengths that are offered. */
  length: number;
  bright: "any" | "dark" | "middle" | "bright";
  tonic: number | null;
  tempo: "any" | "near" | "faster";
  rank: "like" | "completes" | null;
  /** The slice that others are compared with: find and cut. */
  model: [string, string] | null;
}
export type ChopPanel = "slices" | "search" | "tray" | "proof";
export type ShapeCard = "chop" | "pitch" | "envelope" | "filter" | "motion" | "tone" | "layers" | "keys";
export type FoundKind = "loop" | "kick" | "snare" | "hat";

export interface Span {
  start: number;
  end: number;
}

interface View {
  pocketId: string | null;
  station: Station;
  source: string | null;
  pattern: string | null;
  page: number;
  pads: number[];
  /** How a number of several pads changes: each by as much, or all to the same. */
  together: "by" | "alike";
  cuts: string[];
  /** Visible stretch of each source, in samples. */
  windows: Record<string, Span>;
  selection: (Span & { source: string }) | null;
  cursor: number;
  loopSelection: boolean;
  /** Hear finds in the pocket's tempo, in its key. */
  inTempo: boolean;
  inKey: boolean;
  /** Whether the grid clicks over the record, and how loudly (dB; null: as the core has it). */
  click: boolean;
  clickLevel: number | null;
  help: boolean;
  /** Which part of the desk under the wave is open in Listen, and in Chop. */
  panel: ListenPanel;
  chopPanel: ChopPanel;
  /** How the table of slices is sorted and what it shows. */
  table: TableView;
  /** What is looked for among the slices of all finds. */
  search: SearchView;
  /** Slices chosen among those of all finds: find and cut. */
  marked: [string, string][];
  /** Cuts that are the musician's stay when a find is cut anew. */
  keepHand: boolean;
  /** Where cuts made or moved by hand go. */
  snap: Snap;
  /** Where the edges of a selection go. */
  selectSnap: SelectSnap;
  /** Hear a slice whenever one of its edges is moved. */
  hearMoves: boolean;
  /** Presses of free pads cut the find that plays; how far a cut may go to an attack, and how late presses arrive (ms). */
  live: boolean;
  catchMs: number | null;
  delayMs: number | null;
  /** The pad controller that stands in for a device is open. */
  controller: boolean;
  /** What is to be taken out of each find, in Cleaning. */
  cleaning: Record<string, Cleaning>;
  /** What is chosen among the loops and hits that were found: a place in its list. */
  found: { kind: FoundKind; index: number } | null;
  /** The panel of the line input is open. */
  recording: boolean;
  /** Groups of lanes that are open, by role. */
  unfolded: string[];
  /** The bus and effect whose controls are open in Mix: "master" among the buses. */
  effect: { bus: string; effect: string } | null;
  /** The finds are shown in the stations that fold them away. */
  findsOpen: boolean;
  /** What was folded away by hand, in every pocket: the columns, the steps along the bottom; null: where there is no room. */
  findsShut: boolean | null;
  padsShut: boolean;
  stripOpen: boolean | null;
  /** Which card is unfolded in Shape; whether the keys play notes of the chosen pad, and from which octave. */
  card: ShapeCard | null;
  notesOn: boolean;
  octave: number;
  /** Settings that the controls of a MIDI device move, by control number; 1 is the modulation wheel. */
  ties: Record<string, string>;
  /** Beat of the song from which it plays, the section that is chosen, and the control whose thread lies over it. */
  songBeat: number;
  section: string | null;
  thread: string | null;
  /** Pads whose lanes are unfolded into rows of notes. */
  notes: number[];
  /** Lane, note (where the lane is unfolded) and beat of the keyboard's place in the pattern. */
  step: { pad: number; beat: number; note?: number } | null;
}

interface Actions {
  look: (change: Partial<View>) => void;
  setWindow: (source: string, span: Span) => void;
  switchPocket: (id: string) => void;
}

const START: View = {
  pocketId: null,
  station: "chop",
  source: null,
  pattern: null,
  page: 0,
  pads: [],
  together: "by",
  cuts: [],
  windows: {},
  selection: null,
  cursor: 0,
  loopSelection: false,
  inTempo: false,
  inKey: false,
  click: false,
  clickLevel: null,
  help: false,
  panel: "tempo",
  chopPanel: "slices",
  table: { by: "number", down: false, roles: [], text: "" },
  search: { text: "", roles: [], length: 0, bright: "any", tonic: null, tempo: "any", rank: null, model: null },
  marked: [],
  keepHand: true,
  snap: "attack",
  selectSnap: "beats",
  hearMoves: true,
  live: false,
  catchMs: null,
  delayMs: null,
  controller: false,
  cleaning: {},
  found: null,
  recording: false,
  unfolded: [],
  notes: [],
  step: null,
  effect: null,
  card: "pitch",
  notesOn: false,
  octave: 0,
  ties: { "1": "wheel" },
  findsOpen: false,
  findsShut: null,
  padsShut: false,
  stripOpen: null,
  songBeat: 0,
  section: null,
  thread: null,
};

export const useView = create<View & Actions>()(
  persist(
    (set) => ({
      ...START,
      // Another selection is no longer the loop or hit that was chosen: what is taken is what is seen.
      look: (change) => set("selection" in change && !("found" in change) ? { ...change, found: null } : change),
      setWindow: (source, span) => set((s) => ({ windows: { ...s.windows, [source]: span } })),
      switchPocket: (id) =>
        set((s) =>
          s.pocketId === id
            ? {}
            : {
                ...START,
                pocketId: id,
                station: s.station,
                findsShut: s.findsShut,
                padsShut: s.padsShut,
                stripOpen: s.stripOpen,
              },
        ),
    }),
    {
      name: "grain-pocket-view",
      partialize: (view) => ({
        ...view,
        help: false,
        step: null,
        found: null,
        live: false,
        recording: false,
        notesOn: false,
      }),
    },
  ),
);
