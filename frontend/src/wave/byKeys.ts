/** The wave by keys alone: the cursor goes along its lines, and from a mark on it selects. */
import { currentSource } from "../app/actions";
import { usePocket } from "../app/pocket";
import { queries } from "../app/queries";
import { useView } from "../app/view";
import { revealing, whole } from "./viewport";

/** How far a step goes where no grid says it: 100 ms; a long one a second. */
const STEP_S = 0.1;

interface Lines {
  beats: number[];
  bars: number[];
}

/** The next line before or after a place; the ends are lines too. Without lines, a step of its own length. */
export function lineFrom(place: number, way: 1 | -1, lines: number[], step: number, frames: number): number {
  const end = way > 0 ? frames : 0;
  if (!lines.length) return Math.min(frames, Math.max(0, place + way * step));
  const beyond = lines.filter((line) => (way > 0 ? line > place + 1 : line < place - 1));
  const next = way > 0 ? beyond[0] : beyond.at(-1);
  return next === undefined ? end : Math.min(frames, Math.max(0, next));
}

/** The cursor to the next beat, or bar; from the mark on, if there is one, what lies between is selected. */
export function stepCursor(way: 1 | -1, bar: boolean): void {
  const source = currentSource();
  const open = usePocket.getState().open;
  if (!source || !open) return;
  const view = useView.getState();
  const known = queries.getQueryData<Lines>(["lines", open.id, source.id, source.grid]);
  const lines = known ? (bar ? known.bars.map((i) => known.beats[i] as number) : known.beats) : [];
  const cursor = lineFrom(view.cursor, way, lines, STEP_S * open.pocket.rate * (bar ? 10 : 1), source.frames);
  const mark = view.mark?.source === source.id ? view.mark.at : null;
  view.look({
    cursor,
    selection:
      mark === null || mark === cursor
        ? null
        : { source: source.id, start: Math.min(mark, cursor), end: Math.max(mark, cursor) },
  });
  view.setWindow(source.id, revealing(view.windows[source.id] ?? whole(source.frames), cursor, cursor, source.frames));
}

/** A mark at the cursor, from which its steps select; or none any more. */
export function toggleMark(): void {
  const source = currentSource();
  if (!source) return;
  const view = useView.getState();
  view.look({ mark: view.mark?.source === source.id ? null : { source: source.id, at: view.cursor } });
}
