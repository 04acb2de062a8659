/** The find in view: where on its wave one is, what is selected, how it is heard. */
import type { SelectSnap } from "../../wave/span";

export interface Span {
  start: number;
  end: number;
}

export interface FindView {
  source: string | null;
  /** Visible stretch of each source, in samples. */
  windows: Record<string, Span>;
  selection: (Span & { source: string }) | null;
  /** Where the edges of a selection go. */
  selectSnap: SelectSnap;
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
}

export const FIND: FindView = {
  source: null,
  windows: {},
  selection: null,
  selectSnap: "beats",
  cursor: 0,
  mark: null,
  loopSelection: false,
  inTempo: false,
  inKey: false,
  click: false,
  clickLevel: null,
};

/** What a reload does not bring back. */
export const FIND_FLEETING: Partial<FindView> = { mark: FIND.mark };
