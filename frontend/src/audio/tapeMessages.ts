/** What the tape player and its worklet say to each other. Places are samples of the source. */
export const CHUNK = 65536;

export type TapeMessage =
  | { type: "chunk"; number: number; left: Float32Array<ArrayBuffer>; right: Float32Array<ArrayBuffer> }
  | { type: "drop"; numbers: number[] }
  | { type: "clear" }
  | { type: "play"; place: number; end: number; loopStart: number; loopEnd: number }
  | { type: "loop"; loopStart: number; loopEnd: number }
  | { type: "stop" };

export interface TapeReport {
  place: number;
  frame: number;
  playing: boolean;
}
