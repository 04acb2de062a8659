/** Chop: the table of slices, the search among those of all finds, cutting by hand. */
import type { Role, Snap } from "../../api/types";

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

export interface ChopView {
  /** Slices that are chosen. */
  cuts: string[];
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
  /** Hear a slice whenever one of its edges is moved. */
  hearMoves: boolean;
  /** Presses of free pads cut the find that plays; how far a cut may go to an attack, and how late presses arrive (ms). */
  live: boolean;
  catchMs: number | null;
  delayMs: number | null;
}

export const CHOP: ChopView = {
  cuts: [],
  chopPanel: "slices",
  table: { by: "number", down: false, roles: [], text: "" },
  search: { text: "", roles: [], length: 0, bright: "any", tonic: null, tempo: "any", rank: null, model: null },
  marked: [],
  keepHand: true,
  snap: "attack",
  hearMoves: true,
  live: false,
  catchMs: null,
  delayMs: null,
};

/** What a reload does not bring back. */
export const CHOP_FLEETING: Partial<ChopView> = { live: CHOP.live };
