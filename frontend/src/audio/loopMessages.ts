/** What the loop player and its worklet say to each other. Places and lengths are samples. */
export type LoopMessage =
  | { type: "load"; left: Float32Array<ArrayBuffer>; right: Float32Array<ArrayBuffer>; scale: number }
  | { type: "patch"; patches: { start: number; left: Float32Array<ArrayBuffer>; right: Float32Array<ArrayBuffer> }[] }
  | { type: "start"; place: number }
  | { type: "stop" };

/** place: the sample of the loop that sounds at `frame` of the audio clock. */
export interface LoopReport {
  place: number;
  frame: number;
  playing: boolean;
}
