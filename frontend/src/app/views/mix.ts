/** Mix: the effect that is open. */

export interface MixView {
  /** The bus and effect whose controls are open in Mix: "master" among the buses. */
  effect: { bus: string; effect: string } | null;
}

export const MIX: MixView = {
  effect: null,
};
