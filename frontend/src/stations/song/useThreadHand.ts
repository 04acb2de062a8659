/** The hand on a line of the song: bars are played from, points of its thread set, moved and taken away. */
import { useRef, type KeyboardEvent, type MouseEvent, type PointerEvent, type RefObject } from "react";

import type { Section } from "../../api/types";
import { edit } from "../../app/edits";
import { playSong } from "../../app/playing";
import { useView } from "../../app/view";
import { useSong } from "../../audio/song";
import { newGesture } from "../../design/NumberField";
import type { Control } from "./controls";
import { inOrder, type Line, nearest, type Point, valueAt, valueDown } from "./thread";

const SNAP = 0.25;

interface Threaded {
  section: Section;
  line: Line;
  box: RefObject<HTMLDivElement | null>;
  control: Control | null;
  points: Point[];
  chosen: number | null;
  setChosen: (index: number | null) => void;
}

/** What the line's element listens to. */
export function useThreadHand({ section, line, box, control, points, chosen, setChosen }: Threaded) {
  const { first, last, perBeat } = line;
  const playing = useSong((s) => s.playing);
  const start = useView((s) => s.songBeat);
  const drag = useRef<{ index: number; points: Point[]; gesture: string } | null>(null);

  function place(event: PointerEvent): { beat: number; value: number; py: number; px: number } {
    const rect = box.current?.getBoundingClientRect();
    const px = event.clientX - (rect?.left ?? 0);
    const py = event.clientY - (rect?.top ?? 0);
    const exact = first + px / perBeat;
    const beat = Math.min(last, Math.max(first, event.shiftKey ? exact : Math.round(exact / SNAP) * SNAP));
    const value = control ? valueDown(line, control.parameter, py) : 0;
    return { beat, value, px, py };
  }
  function set(next: Point[], gesture: string | null = null) {
    if (control) void edit({ type: "set_thread", control: control.key, points: next }, gesture);
  }
  function onPointerDown(event: PointerEvent) {
    if (event.button !== 0) return;
    const { beat, value, px, py } = place(event);
    useView.getState().look({ section: section.id });
    if (!control || py < line.top) {
      const bar = first + Math.floor((beat - first) / section.beats_per_bar + 1e-6) * section.beats_per_bar;
      if (playing) playSong(bar);
      else useView.getState().look({ songBeat: Math.min(bar, last - section.beats_per_bar) });
      return;
    }
    const near = nearest(line, control.parameter, points, px, py);
    if (near >= 0 && event.altKey) return set(points.filter((_, i) => i !== near));
    event.currentTarget.setPointerCapture(event.pointerId);
    const gesture = newGesture();
    if (near >= 0) {
      drag.current = { index: near, points, gesture };
      return setChosen(near);
    }
    const next = inOrder([...points, { beat, value }]);
    const index = next.findIndex((point) => point.beat === beat && point.value === value);
    drag.current = { index, points: next, gesture };
    setChosen(index);
    set(next, gesture);
  }
  function onPointerMove(event: PointerEvent) {
    const now = drag.current;
    if (!now) return;
    const { beat, value } = place(event);
    // A point stays between its neighbours.
    const low = now.points[now.index - 1]?.beat ?? 0;
    const high = now.points[now.index + 1]?.beat ?? last;
    const next = now.points.map((point, i) =>
      i === now.index ? { beat: Math.min(high, Math.max(low, beat)), value } : point,
    );
    now.points = next;
    set(next, now.gesture);
  }
  function onKeyDown(event: KeyboardEvent) {
    if (!control || event.ctrlKey || event.metaKey) return;
    const p = control.parameter;
    const mine = points.map((point, i) => ({ ...point, i })).filter(({ beat }) => beat >= first && beat <= last);
    const at_ = mine.findIndex(({ i }) => i === chosen);
    const change = (by: number) =>
      chosen !== null &&
      set(
        points.map((point, i) =>
          i === chosen ? { ...point, value: Math.min(p.high, Math.max(p.low, point.value + by * p.step)) } : point,
        ),
      );
    const actions: Record<string, () => void> = {
      ArrowLeft: () => setChosen(mine[Math.max(0, at_ - 1)]?.i ?? null),
      ArrowRight: () => setChosen(mine[Math.min(mine.length - 1, at_ + 1)]?.i ?? null),
      ArrowUp: () => change(1),
      ArrowDown: () => change(-1),
      Delete: () => chosen !== null && (set(points.filter((_, i) => i !== chosen)), setChosen(null)),
      Enter: () =>
        start >= first &&
        start < last &&
        set(inOrder([...points, { beat: start, value: valueAt(points, start, control.value) }])),
    };
    const action = actions[event.key];
    if (!action) return;
    event.preventDefault();
    event.stopPropagation();
    action();
  }
  function onDoubleClick(event: MouseEvent) {
    const y = event.clientY - (box.current?.getBoundingClientRect().top ?? 0);
    if (y < line.top) playSong(useView.getState().songBeat);
  }

  return { onPointerDown, onPointerMove, onPointerUp: () => (drag.current = null), onDoubleClick, onKeyDown };
}
