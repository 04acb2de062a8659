/** The computer keyboard as keys: two rows of letters are an octave and a half of the chosen pad, from the C under its root. */
import { usePocket } from "../app/pocket";
import { soundOf } from "../app/sounds";
import { asPlayed } from "./press";
import { takePress, takeRelease } from "../app/taking";
import { useView } from "../app/view";
import { instrument } from "../audio/instrument";

/** By position: the lower row of letters is white keys, the row over it the black ones between. */
const LOWER = [
  "KeyA",
  "KeyW",
  "KeyS",
  "KeyE",
  "KeyD",
  "KeyF",
  "KeyT",
  "KeyG",
  "KeyY",
  "KeyH",
  "KeyU",
  "KeyJ",
  "KeyK",
  "KeyO",
  "KeyL",
  "KeyP",
  "Semicolon",
];
const OCTAVE = 12;
const VELOCITY = 110;
const down = new Map<string, { pad: number; note: number }>();

/** The chosen pad, while keys play notes of it. */
export function notesPad(): number | null {
  const { notesOn, pads } = useView.getState();
  const pad = pads[0];
  return notesOn && pad !== undefined && usePocket.getState().open?.pocket.pads[pad] ? pad : null;
}

export function toggleNotes(): void {
  const { notesOn, pads, look } = useView.getState();
  allNotesUp();
  const filled = Object.keys(usePocket.getState().open?.pocket.pads ?? {}).map(Number);
  look({ notesOn: !notesOn, pads: pads.length || !filled.length ? pads : [Math.min(...filled)] });
}

/** Whether a key was a note, an octave's step among them. */
export function noteDown(event: KeyboardEvent): boolean {
  const pad = notesPad();
  if (pad === null) return false;
  const step = { KeyZ: -1, KeyX: 1 }[event.code];
  if (step) {
    const { octave, look } = useView.getState();
    if (!event.repeat) look({ octave: Math.max(-3, Math.min(3, octave + step)) });
    return true;
  }
  const place = LOWER.indexOf(event.code);
  if (place < 0) return false;
  if (event.repeat || down.has(event.code)) return true;
  const note = place + OCTAVE * useView.getState().octave - fromC(pad);
  down.set(event.code, { pad, note });
  pressNote(pad, note, VELOCITY, event.timeStamp);
  return true;
}

export function noteUp(code: string): void {
  const at = down.get(code);
  if (!at) return;
  down.delete(code);
  releaseNote(at.pad, at.note);
}

export function allNotesUp(): void {
  for (const { pad, note } of down.values()) releaseNote(pad, note);
  down.clear();
}

export function pressNote(pad: number, note: number, velocity: number, at = performance.now()): void {
  const hard = asPlayed(velocity);
  instrument.press(pad, note, hard);
  takePress(pad, hard, at, note);
}

export function releaseNote(pad: number, note: number): void {
  instrument.release(pad, note);
  takeRelease(pad, note);
}

/** Semitones from the C under a pad's root to it: A is always a C, so that white keys are white keys. */
function fromC(pad: number): number {
  return Math.round(soundOf(usePocket.getState().open?.pocket.pads[pad]?.sound ?? {}).root) % OCTAVE;
}

/** What is printed on the key that plays a note, as far as it is one of those rows; root: of the pad (MIDI). */
export function noteKey(note: number, octave: number, root: number): string {
  const code = LOWER[note - OCTAVE * octave + (root % OCTAVE)];
  return code === undefined ? "" : code === "Semicolon" ? ";" : code.slice(-1);
}
