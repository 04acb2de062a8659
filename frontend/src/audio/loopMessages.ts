type Side = Float32Array<ArrayBuffer>;

/** What the players of loops and songs and their worklet say to each other. Places and lengths are samples. */
export type LoopMessage =
  | { type: "load"; left: Side; right: Side; scale: number }
  /** A song of this length. fresh: nothing that is here of it is so any more. */
  | { type: "song"; length: number; scale: number; fresh: boolean }
  | { type: "patch"; patches: { start: number; left: Side; right: Side }[] }
  /** Let go of what lies outside. */
  | { type: "drop"; before: number; after: number }
  /** Another loop, to begin where a stretch of so many samples ends; an empty one: none. */
  | { type: "queue"; left: Side; right: Side; every: number }
  /** Go round between two places alone; to 0: all of it. */
  | { type: "part"; from: number; to: number }
  | { type: "start"; run: number; place: number }
  | { type: "stop" };

/** run: the start that it tells of. place: the sample of the loop that sounds at `frame` of the audio clock. */
export interface LoopReport {
  run: number;
  place: number;
  frame: number;
  playing: boolean;
  /** What was queued has begun. */
  begun?: boolean;
}
