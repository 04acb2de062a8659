/** Pad controllers: what a Web MIDI device sends, and what the stand-in sends, take the same way to the pads. */
import { create } from "zustand";

import { usePocket } from "../app/pocket";
import { useView } from "../app/view";
import { PAGE } from "../pads/keys";
import { soundOf } from "../app/sounds";
import { notesPad, pressNote, releaseNote } from "../pads/notes";
import { pressPad, releasePad } from "../pads/press";
import { moveControl, useTying } from "../pads/ties";

/** The lowest pad of a controller of four rows sends this note, at the bottom left; ours count from the top left. */
const LOWEST = 36;
const ROW = 4;
const NOTE_ON = 0x90;
const NOTE_OFF = 0x80;
const CONTROL = 0xb0;

export const useMidi = create<{ devices: string[]; state: "off" | "asking" | "on" | "refused" | "none"; last: string }>(
  () => ({ devices: [], state: "none", last: "" }),
);

const down = new Map<number, number>();
/** Keys that play notes of a pad. */
const keys = new Map<number, { pad: number; note: number }>();

function padOf(note: number): number | null {
  const place = note - LOWEST;
  if (place < 0) return null;
  const within = place % PAGE;
  const page = useView.getState().page + Math.floor(place / PAGE);
  return page * PAGE + (PAGE / ROW - 1 - Math.floor(within / ROW)) * ROW + (within % ROW);
}

export function noteOf(place: number): number {
  return LOWEST + (PAGE / ROW - 1 - Math.floor(place / ROW)) * ROW + (place % ROW);
}

/** A channel voice message (MIDI 1.0): note on, note off, control change; all else is let pass. at: on the clock of performance.now(). */
export function receive(data: Uint8Array | number[], at: number): void {
  const [status = 0, note = 0, velocity = 0] = data;
  const kind = status & 0xf0;
  if (kind === NOTE_ON && velocity > 0) {
    const played = notesPad();
    if (played !== null) {
      const root = Math.round(soundOf(usePocket.getState().open?.pocket.pads[played]?.sound ?? {}).root);
      keys.set(note, { pad: played, note: note - root });
      pressNote(played, note - root, velocity, at);
      useMidi.setState({ last: `key ${note}, velocity ${velocity}` });
      return;
    }
    const pad = padOf(note);
    if (pad === null) return;
    down.set(note, pad);
    pressPad(pad, velocity, at);
    if (usePocket.getState().open?.pocket.pads[pad]) useView.getState().look({ pads: [pad] });
    useMidi.setState({ last: `note ${note}, velocity ${velocity}` });
  } else if (kind === NOTE_OFF || kind === NOTE_ON) {
    const key = keys.get(note);
    if (key) {
      keys.delete(note);
      return releaseNote(key.pad, key.note);
    }
    const pad = down.get(note);
    if (pad === undefined) return;
    down.delete(note);
    releasePad(pad);
  } else if (kind === CONTROL) {
    moveControl(note, velocity);
    useMidi.setState({ last: useTying.getState().said });
  }
}

let access: MIDIAccess | null = null;

function connectAll(): void {
  if (!access) return;
  const inputs = [...access.inputs.values()];
  for (const input of inputs) input.onmidimessage = (event) => event.data && receive(event.data, event.timeStamp);
  useMidi.setState({ devices: inputs.map((input) => input.name ?? "unnamed"), state: "on" });
}

/** Ask the browser for its devices; it may ask the musician. */
export async function connectDevices(): Promise<void> {
  if (!navigator.requestMIDIAccess) {
    useMidi.setState({ state: "none" });
    return;
  }
  useMidi.setState({ state: "asking" });
  try {
    access = await navigator.requestMIDIAccess();
    access.onstatechange = connectAll;
    connectAll();
  } catch {
    useMidi.setState({ state: "refused" });
  }
}

export function canConnect(): boolean {
  return "requestMIDIAccess" in navigator;
}
