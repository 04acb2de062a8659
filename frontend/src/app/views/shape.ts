/** Shape: the card that is unfolded. */

export type ShapeCard = "chop" | "pitch" | "envelope" | "filter" | "motion" | "tone" | "layers" | "keys";

export interface ShapeView {
  card: ShapeCard | null;
}

export const SHAPE: ShapeView = {
  card: "pitch",
};
