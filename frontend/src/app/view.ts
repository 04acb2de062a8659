/** Where the musician is looking. Kept in the browser per pocket, so that a reload shows the same. */
import { create } from "zustand";
import { persist } from "zustand/middleware";

import type { Cleaning, Role, Snap } from "../api/types";
import type { SelectSnap } from "../wave/span";
import type { Station } from "./stations";

export type { Station };
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
export type RhythmTools = "quantise" | "place" | "feel" | "lane" | "melody" | "chords" | "takes";
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
  /** Where a selection by keys begins. */
  mark: { source: string; at: number } | null;
  loopSelection: boolean;
  /** Hear finds in the pocket's tempo, in its key. */
  inTempo: boolean;
  inKey: boolean;
  /** Whether the grid clicks over the record, and how loudly (dB; null: as the core has it). */
  click: boolean;
  clickLevel: number | null;
  help: boolean;
  /** Whether the list of all pockets is open. */
  pocketList: boolean;
  /** What was open in other pockets, to be open again. */
  left: Record<string, Partial<View>>;
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
  /** Every press is as hard as can be. */
  fullVelocity: boolean;
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
  mark: null,
  loopSelection: false,
  inTempo: false,
  inKey: false,
  click: false,
  clickLevel: null,
  help: false,
  pocketList: false,
  left: {},
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
  hits: [],
  tools: "place",
  zoom: 1,
  keyRows: false,
  asChord: false,
  replaceTake: false,
  effect: null,
  card: "pitch",
  notesOn: false,
  octave: 0,
  fullVelocity: false,
  ties: { "1": "wheel" },
  findsOpen: false,
  findsShut: null,
  padsShut: false,
  stripOpen: null,
  songBeat: 0,
  section: null,
  thread: null,
};

/** What is open again when one comes back to a pocket. */
function opened({ station, source, pattern, page, pads, windows, cursor }: View): Partial<View> {
  return { station, source, pattern, page, pads, windows, cursor };
}

const MOST_LEFT = 30;

function lastOf(left: Record<string, Partial<View>>): Record<string, Partial<View>> {
  return Object.fromEntries(Object.entries(left).slice(-MOST_LEFT));
}

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
                ...s.left[id],
                left: s.pocketId ? lastOf({ ...s.left, [s.pocketId]: opened(s) }) : s.left,
                pocketId: id,
                station: s.left[id]?.station ?? s.station,
                pocketList: s.pocketList,
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
        mark: null,
        pocketList: false,
        step: null,
        hits: [],
        found: null,
        live: false,
        recording: false,
        notesOn: false,
      }),
    },
  ),
);
