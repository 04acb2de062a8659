/** What is where on the wave, in words, for who does not see it: cursor, selection and the chosen cut, once they rest. */
import { useEffect, useState } from "react";

import type { Source } from "../api/types";
import { useView } from "../app/view";
import { position } from "../design/format";
import { useRested } from "../design/useRested";
import { beatBefore, type Grid } from "./marks";
import { lengthOf } from "./span";

const REST_MS = 300;

export function Said({ source, grid, rate }: { source: Source; grid: Grid | null; rate: number }) {
  const cursor = useView((s) => s.cursor);
  const selection = useView((s) => (s.selection?.source === source.id ? s.selection : null));
  const mark = useView((s) => s.mark?.source === source.id);
  const chosen = useView((s) => s.cuts);
  const place = (at: number) => {
    const seconds = `${(at / rate).toFixed(2)} seconds`;
    const beat = grid ? beatBefore(grid, at + 1) : -1;
    return grid && beat >= 0 ? `${position(beat - grid.one, grid.beatsPerBar)}, ${seconds}` : seconds;
  };
  // What changed last is what is told.
  const [last, setLast] = useState<"cursor" | "selection" | "slices">("cursor");
  useEffect(() => setLast("slices"), [chosen]);
  useEffect(() => setLast("cursor"), [cursor, mark]);
  useEffect(() => setLast(selection ? "selection" : "cursor"), [selection]);
  const index = chosen.length === 1 ? source.cuts.findIndex((cut) => cut.id === chosen[0]) : -1;
  const cut = source.cuts[index];
  let text = `Cursor at ${place(cursor)}${mark ? ", marked" : ""}`;
  if (last === "slices" && chosen.length > 1) text = `${chosen.length} slices chosen`;
  else if (last === "slices" && cut) text = `Slice ${index + 1}, ${cut.name ?? cut.role ?? ""} at ${place(cut.at)}`;
  else if (last === "selection" && selection) {
    const { count, unit, exact } = lengthOf(selection, grid, rate);
    text = `Selected from ${place(selection.start)} to ${place(selection.end)}${exact ? `, ${count} ${unit}` : ""}`;
  }
  const said = useRested(text, REST_MS);
  return (
    <span aria-live="polite" className="sr-only" data-testid="wave-said">
      {said}
    </span>
  );
}
