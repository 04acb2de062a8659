/** The pads and what plays them. */

export interface PadsView {
  pads: number[];
  /** How a number of several pads changes: each by as much, or all to the same. */
  together: "by" | "alike";
  /** The pad controller that stands in for a device is open. */
  controller: boolean;
  /** Every press is as hard as can be. */
  fullVelocity: boolean;
  /** Settings that the controls of a MIDI device move, by control number; 1 is the modulation wheel. */
  ties: Record<string, string>;
  /** Whether the keys play notes of the chosen pad, and from which octave. */
  notesOn: boolean;
  octave: number;
}

export const PADS: PadsView = {
  pads: [],
  together: "by",
  controller: false,
  fullVelocity: false,
  ties: { "1": "wheel" },
  notesOn: false,
  octave: 0,
};

/** What a reload does not bring back. */
export const PADS_FLEETING: Partial<PadsView> = { notesOn: PADS.notesOn };
