/** Listen: which part of the desk is open, what is chosen of what was found. */
import type { Cleaning } from "../../api/types";

export type ListenPanel = "tempo" | "worth" | "clean";
export type FoundKind = "loop" | "kick" | "snare" | "hat";

export interface ListenView {
  /** Which part of the desk under the wave is open in Listen, and in Chop. */
  panel: ListenPanel;
  /** What is to be taken out of each find, in Cleaning. */
  cleaning: Record<string, Cleaning>;
  /** What is chosen among the loops and hits that were found: a place in its list. */
  found: { kind: FoundKind; index: number } | null;
  /** The panel of the line input is open. */
  recording: boolean;
}

export const LISTEN: ListenView = {
  panel: "tempo",
  cleaning: {},
  found: null,
  recording: false,
};

/** What a reload does not bring back. */
export const LISTEN_FLEETING: Partial<ListenView> = { found: LISTEN.found, recording: LISTEN.recording };
