type Side = Float32Array<ArrayBuffer>;

/** What the players of loops and songs and their worklet say to each other. Places and lengths are samples. */
export type LoopMessage =
  | { type: "load"; left: Side; right: Side; scale: number }
  /** A song of this length. fresh: nothing that is here of it is so any more. */
  | { type: "song"; length: number; scale: number; fresh: boolean }
  | { type: "patch"; patches: { start: number; left: Side; right: Side }[] }
  /** Let go of what lies outside. */
  | { type: "drop"; before: number; after: number }
  | { type: "start"; place: number }
  | { type: "stop" };

/** place: the sample of the loop that sounds at `frame` of the audio clock. */
export interface LoopReport {
  place: number;
  frame: number;
  playing: boolean;
}
