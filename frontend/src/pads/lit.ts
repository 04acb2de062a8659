/** The pads whose last hit lies at most so long before a place of the loop. hits: sample and pad, in turn, rising. */
export function litAt(hits: number[], place: number, length: number, within: number): Record<number, true> {
  const lit: Record<number, true> = {};
  for (let i = 0; i < hits.length; i += 2) {
    const since = place - (hits[i] as number);
    // A hit at the end of the loop is still lit at its beginning.
    if ((since >= 0 && since < within) || since + length < within) lit[hits[i + 1] as number] = true;
  }
  return lit;
}
