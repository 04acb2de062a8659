/** What the tape player and its worklet say to each other. Places are samples of the source. */
export const CHUNK = 65536;
/** Samples over which the end of a loop gives way to what leads up to its start. */
export const JOIN = 132;

export type TapeMessage =
  | { type: "chunk"; number: number; left: Float32Array<ArrayBuffer>; right: Float32Array<ArrayBuffer> }
  | { type: "drop"; numbers: number[] }
  | { type: "clear" }
  /** Clicks to lay over the record: places rise; null is silence. sounds: of a beat and of a bar's first. */
  | { type: "clicks"; places: Float64Array | null; accents: Uint8Array; level: number }
  | { type: "clickSounds"; beat: Float32Array<ArrayBuffer>; accent: Float32Array<ArrayBuffer> }
  | { type: "play"; run: number; place: number; end: number; loopStart: number; loopEnd: number }
  | { type: "loop"; loopStart: number; loopEnd: number }
  | { type: "stop" };

/** run: the start that it tells of. */
export interface TapeReport {
  run: number;
  place: number;
  frame: number;
  playing: boolean;
}
