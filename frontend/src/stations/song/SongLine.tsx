/** A line of the song: up to eight bars, its patterns as strips, the thread that lies over it, and the playhead. */
import { useRef, useState, type KeyboardEvent, type PointerEvent } from "react";

import type { Pattern, Pocket, Section, Thread } from "../../api/types";
import { edit } from "../../app/edits";
import { playSong, songBeat } from "../../app/playing";
import { useView } from "../../app/view";
import { useSong } from "../../audio/song";
import { newGesture } from "../../design/NumberField";
import { Playhead } from "../../design/Playhead";
import { CARD, INK, INK2, NOW, ROLES, RULE, faded, roleColor } from "../../design/roles";
import { fixed, position } from "../../design/format";
import { prepare } from "../../wave/draw";
import { usePaint, useWidth } from "../../wave/useCanvas";
import type { Control } from "./controls";

export const HEAD = 17;
export const STRIP = 22;
export const THREAD = 50;
const NEAR = 9;
const SNAP = 0.25;

interface Props {
  pocket: Pocket;
  section: Section;
  patterns: Pattern[];
  /** Beats of the song: where the section begins this time, and where the line begins and ends. */
  at: number;
  first: number;
  last: number;
  /** Beats that a full line is wide. */
  whole: number;
  control: Control | null;
  thread: Thread | null;
}

type Point = Thread["points"][number];

export function SongLine({ pocket, section, patterns, at, first, last, whole, control, thread }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  const playing = useSong((s) => s.playing);
  const start = useView((s) => s.songBeat);
  const [chosen, setChosen] = useState<number | null>(null);
  const drag = useRef<{ index: number; points: Point[]; gesture: string } | null>(null);
  const height = HEAD + patterns.length * STRIP + (control ? THREAD : 6);
  const perBeat = width / whole;
  const points = thread?.points ?? [];
  const x = (beat: number) => (beat - first) * perBeat;
  const top = HEAD + patterns.length * STRIP;
  const y = (value: number) => {
    const p = control?.parameter;
    return p ? top + 6 + (1 - share(p, value)) * (THREAD - 12) : 0;
  };

  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, height);
    c.clearRect(0, 0, width, height);
    const end = x(last);
    c.fillStyle = CARD;
    c.fillRect(0, 0, end, height);
    patterns.forEach((pattern, i) =>
      paintStrip(c, pocket, section, pattern, HEAD + i * STRIP, { at, first, last, perBeat }),
    );
    c.font = '500 11px "Atkinson Hyperlegible Next Variable"';
    for (let beat = first; beat <= last; beat += section.beats_per_bar) {
      c.fillStyle = RULE;
      c.fillRect(Math.min(end - 1, Math.round(x(beat))), 0, 1, height);
      c.fillStyle = INK2;
      if (beat < last) c.fillText(String(Math.round(beat / section.beats_per_bar) + 1), x(beat) + 4, 12);
    }
    patterns.forEach((pattern, i) => paintName(c, pattern.name, HEAD + i * STRIP));
    if (control) paintThread(c, points, control.value);
    if (start >= first && start < last) {
      c.fillStyle = INK;
      c.beginPath();
      c.moveTo(x(start), 0);
      c.lineTo(x(start) + 7, 0);
      c.lineTo(x(start), 8);
      c.fill();
    }
  });
  const head = () => {
    const now = songBeat();
    return now >= first && now < last ? x(now) : null;
  };

  function paintThread(c: CanvasRenderingContext2D, all: Point[], rest: number) {
    c.fillStyle = faded(INK, 0.05);
    c.fillRect(0, top, x(last), THREAD);
    c.strokeStyle = NOW;
    c.lineWidth = 1.6;
    c.setLineDash([5, 3]);
    c.beginPath();
    c.moveTo(x(first), y(valueAt(all, first, rest)));
    for (const point of all) if (point.beat > first && point.beat < last) c.lineTo(x(point.beat), y(point.value));
    c.lineTo(x(last), y(valueAt(all, last, rest)));
    c.stroke();
    c.setLineDash([]);
    all.forEach((point, i) => {
      if (point.beat < first || point.beat > last) return;
      c.fillStyle = NOW;
      c.beginPath();
      c.arc(x(point.beat), y(point.value), i === chosen ? 6 : 4, 0, 7);
      c.fill();
    });
  }

  function place(event: PointerEvent): { beat: number; value: number; py: number; px: number } {
    const rect = box.current?.getBoundingClientRect();
    const px = event.clientX - (rect?.left ?? 0);
    const py = event.clientY - (rect?.top ?? 0);
    const exact = first + px / perBeat;
    const beat = Math.min(last, Math.max(first, event.shiftKey ? exact : Math.round(exact / SNAP) * SNAP));
    const p = control?.parameter;
    const value = p ? fromShare(p, 1 - (py - top - 6) / (THREAD - 12)) : 0;
    return { beat, value, px, py };
  }
  function set(next: Point[], gesture: string | null = null) {
    if (control) void edit({ type: "set_thread", control: control.key, points: next }, gesture);
  }
  function onPointerDown(event: PointerEvent) {
    if (event.button !== 0) return;
    const { beat, value, px, py } = place(event);
    useView.getState().look({ section: section.id });
    if (!control || py < top) {
      const bar = first + Math.floor((beat - first) / section.beats_per_bar + 1e-6) * section.beats_per_bar;
      if (playing) playSong(bar);
      else useView.getState().look({ songBeat: Math.min(bar, last - section.beats_per_bar) });
      return;
    }
    const near = points.findIndex((point) => Math.hypot(x(point.beat) - px, y(point.value) - py) < NEAR);
    if (near >= 0 && event.altKey) return set(points.filter((_, i) => i !== near));
    event.currentTarget.setPointerCapture(event.pointerId);
    const gesture = newGesture();
    if (near >= 0) {
      drag.current = { index: near, points, gesture };
      return setChosen(near);
    }
    const next = [...points, { beat, value }].sort((a, b) => a.beat - b.beat);
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
        set([...points, { beat: start, value: valueAt(points, start, control.value) }].sort((a, b) => a.beat - b.beat)),
    };
    const action = actions[event.key];
    if (!action) return;
    event.preventDefault();
    event.stopPropagation();
    action();
  }

  const told = chosen !== null ? points[chosen] : undefined;
  const bar = Math.round(first / section.beats_per_bar) + 1;
  return (
    <div
      ref={box}
      role="application"
      tabIndex={0}
      data-own-arrows
      data-line={first}
      aria-label={`${section.name} from bar ${bar}. Click a bar to play from there${control ? `; click the thread to set a point of ${control.label}, arrows choose and move points, Enter adds one, Delete removes` : ""}.`}
      className="relative touch-none"
      style={{ height }}
      onPointerDown={onPointerDown}
      onPointerMove={onPointerMove}
      onPointerUp={() => (drag.current = null)}
      onDoubleClick={(event) =>
        event.clientY - (box.current?.getBoundingClientRect().top ?? 0) < top && playSong(useView.getState().songBeat)
      }
      onKeyDown={onKeyDown}
    >
      <canvas ref={canvas} style={{ width: width || "100%", height }} className="block" />
      <Playhead moving={playing} at={head} />
      <span className="sr-only" aria-live="polite">
        {told && control
          ? `${position(told.beat, section.beats_per_bar)}: ${fixed(told.value, control.parameter.digits)} ${control.parameter.unit}`
          : ""}
      </span>
    </div>
  );
}

/** 0 to 1 along a setting's range, by ratios where it is heard so. */
function share(p: Control["parameter"], value: number): number {
  return p.curve === "log"
    ? Math.log(Math.max(value, p.low) / p.low) / Math.log(p.high / p.low)
    : (value - p.low) / (p.high - p.low);
}

function fromShare(p: Control["parameter"], part: number): number {
  const inside = Math.min(1, Math.max(0, part));
  const value = p.curve === "log" ? p.low * (p.high / p.low) ** inside : p.low + inside * (p.high - p.low);
  return Math.min(p.high, Math.max(p.low, Math.round(value * 10 ** p.digits) / 10 ** p.digits));
}

function valueAt(points: Point[], beat: number, rest: number): number {
  const after = points.findIndex((point) => point.beat >= beat);
  if (!points.length) return rest;
  if (after < 0) return points.at(-1)?.value ?? rest;
  const b = points[after] as Point;
  const a = points[after - 1];
  return !a || b.beat === a.beat ? b.value : a.value + ((b.value - a.value) * (beat - a.beat)) / (b.beat - a.beat);
}

interface Stretch {
  at: number;
  first: number;
  last: number;
  perBeat: number;
}

/** What a pattern plays in this line, round and round from the section's beginning. */
function paintStrip(
  c: CanvasRenderingContext2D,
  pocket: Pocket,
  section: Section,
  pattern: Pattern,
  y: number,
  { at, first, last, perBeat }: Stretch,
): void {
  const long = pattern.bars * pattern.beats_per_bar;
  const roles = pattern.hits.map((hit) => pocket.pads[hit.pad]?.role ?? null);
  const common = roles.length
    ? roles.sort((a, b) => roles.filter((r) => r === b).length - roles.filter((r) => r === a).length)[0]
    : null;
  c.globalAlpha = 0.14;
  c.fillStyle = common ? ROLES[common].color : INK2;
  c.fillRect(0, y + 1, (last - first) * perBeat, STRIP - 2);
  c.globalAlpha = 1;
  for (let round = Math.floor((first - at) / long); at + round * long < last; round++) {
    for (const hit of pattern.hits) {
      const beat = at + round * long + hit.beat;
      if (hit.beat >= long || beat < first || beat >= last) continue;
      const tall = Math.max(2, (hit.velocity / 127) * (STRIP - 6));
      c.globalAlpha = !pocket.pads[hit.pad] || section.muted.includes(hit.pad) ? 0.2 : 1;
      c.fillStyle = roleColor(pocket.pads[hit.pad]?.role);
      c.fillRect((beat - first) * perBeat, y + STRIP - 3 - tall, Math.max(2, Math.min(5, 0.2 * perBeat)), tall);
    }
  }
  c.globalAlpha = 1;
}

function paintName(c: CanvasRenderingContext2D, name: string, y: number): void {
  c.font = '600 11px "Atkinson Hyperlegible Next Variable"';
  const wide = Math.min(150, c.measureText(name).width + 10);
  c.fillStyle = faded(CARD, 0.86);
  c.fillRect(2, y + 3, wide, STRIP - 7);
  c.save();
  c.beginPath();
  c.rect(2, y, wide, STRIP);
  c.clip();
  c.fillStyle = INK;
  c.fillText(name, 7, y + 15);
  c.restore();
}
