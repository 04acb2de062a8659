/** The slices as the table lists them: keys that step go that way. */
let order: { source: string; cuts: string[] } | null = null;

export function setSliceOrder(source: string, cuts: string[]): void {
  order = { source, cuts };
}

/** Cut ids in the table's order, or none when it shows another find. */
export function sliceOrder(source: string): string[] {
  return order?.source === source ? order.cuts : [];
}
