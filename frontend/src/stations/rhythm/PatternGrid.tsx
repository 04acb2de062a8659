/** The pattern as lanes of hits: click to step in, drag up and down for velocity, arrows and Enter from the keyboard. */
import { useRef, type KeyboardEvent, type MouseEvent, type PointerEvent } from "react";

import type { Hit, Pattern } from "../../api/types";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { inLoop, useLoop } from "../../audio/loop";
import { voices } from "../../audio/voices";
import { Context, type Item } from "../../design/Menu";
import { Playhead } from "../../design/Playhead";
import { newGesture } from "../../design/NumberField";
import { INK, NOW, roleColor } from "../../design/roles";
import { PAGE } from "../../pads/keys";
import { prepare } from "../../wave/draw";
import { usePaint, useWidth } from "../../wave/useCanvas";
import { grouped, type Lane, withNotes } from "./lanes";
import { LaneNames } from "./LaneNames";

const STEP = 0.25;
const ROLLS: [number, string][] = [
  [1, "One stroke"],
  [2, "Roll of 2"],
  [3, "Roll of 3"],
  [4, "Roll of 4"],
  [6, "Roll of 6"],
  [8, "Roll of 8"],
];
const NAMES = 112;

/** How near the end of a note its length is taken hold of, in pixels. */
const END = 6;

type Drag =
  | { kind: "note"; lane: Lane; hit: Hit; x: number; end: boolean; moved: boolean; gesture: string }
  | { kind: "paint"; lane: Lane; gesture: string; at: number; hits: Hit[] }
  | { kind: "hit"; lane: Lane; hit: Hit; y: number; moved: boolean; gesture: string };

interface Props {
  pattern: Pattern;
  lanes: Lane[];
  row: number;
  heading: boolean;
}

export function PatternGrid({ pattern, lanes: all, row, heading }: Props) {
  const unfolded = useView((s) => s.unfolded);
  const chosen = useView((s) => s.pads);
  const notes = useView((s) => s.notes);
  const lanes = withNotes(grouped(all, unfolded, chosen), pattern, heading ? notes : []);
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const drag = useRef<Drag | null>(null);
  const width = useWidth(box);
  const cursor = useView((s) => s.step);
  const { look } = useView.getState();
  const playing = useLoop((s) => s.playing);
  const top = heading ? 16 : 0;
  const height = Math.max(row, lanes.length * row) + top;
  const perBeat = width / pattern.beats_per_bar / pattern.bars;

  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, height);
    c.clearRect(0, 0, width, height);
    paintLines(c, pattern, perBeat, width, height, top);
    lanes.forEach((lane, i) => {
      const y = top + i * row;
      c.fillStyle = "rgba(42,27,51,0.12)";
      c.fillRect(0, y + row - 1, width, 1);
      if (lane.note === 0) {
        c.fillStyle = "rgba(42,27,51,0.07)";
        c.fillRect(0, y, width, row - 1);
      }
      if (
        cursor &&
        (lane.note === undefined || lane.note === (cursor.note ?? 0)) &&
        (lane.pads.includes(cursor.pad) || (!lane.group && cursor.pad === lane.pad))
      ) {
        c.strokeStyle = NOW;
        c.lineWidth = 2;
        c.strokeRect(cursor.beat * perBeat + 1, y + 1, STEP * perBeat - 2, row - 3);
      }
    });
    const rows = new Map(
      lanes.flatMap((lane, i) =>
        lane.pads.map((pad) => [lane.note === undefined ? `${pad}` : `${pad} ${lane.note}`, i] as const),
      ),
    );
    for (const hit of pattern.hits) {
      const i = rows.get(`${hit.pad}`) ?? rows.get(`${hit.pad} ${hit.note}`);
      if (i !== undefined && hit.beat < pattern.bars * pattern.beats_per_bar)
        paintHit(c, hit, lanes[i] as Lane, top + i * row, row, perBeat);
    }
  });

  function laneAt(event: { clientY: number }): Lane | undefined {
    const y = event.clientY - (box.current?.getBoundingClientRect().top ?? 0) - top;
    return lanes[Math.floor(y / row)];
  }
  function beatAt(event: { clientX: number }): number {
    return (event.clientX - (box.current?.getBoundingClientRect().left ?? 0)) / perBeat;
  }
  function hitAt(lane: Lane, beat: number): Hit | undefined {
    // The nearest hit whose drawn bar is under the pointer.
    return pattern.hits
      .filter(
        (h) =>
          lane.pads.includes(h.pad) &&
          (lane.note === undefined || h.note === lane.note) &&
          beat >= h.beat - 0.03 &&
          beat < h.beat + long(lane, h),
      )
      .at(-1);
  }
  /** Sets a hit, together with those painted before it in the same gesture. */
  function put(lane: Lane, beat: number, gesture: string | null, before: Hit[] = []): Hit[] {
    if (lane.empty || !lane.pads.length) return before;
    const hits = [
      ...before,
      { pad: lane.pad, beat, velocity: 100, length: STEP, take: 0, note: lane.note ?? 0, own: {}, roll: null, id: "" },
    ];
    void edit({ type: "put_hits", pattern: pattern.id, hits }, gesture);
    if (!playing) voices.press(lane.pad, 100);
    return hits;
  }

  function onPointerDown(event: PointerEvent) {
    const lane = laneAt(event);
    if (event.button !== 0 || !lane) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const beat = beatAt(event);
    const step = Math.floor(beat / STEP) * STEP;
    look({ step: { pad: lane.pad, beat: step, note: lane.note } });
    const hit = hitAt(lane, beat);
    const gesture = newGesture();
    if (hit && lane.note !== undefined && !event.altKey)
      drag.current = {
        kind: "note",
        lane,
        hit,
        x: event.clientX,
        end: (hit.beat + long(lane, hit) - beat) * perBeat < END,
        moved: false,
        gesture,
      };
    else if (hit) drag.current = { kind: "hit", lane, hit, y: event.clientY, moved: false, gesture };
    else drag.current = { kind: "paint", lane, gesture, at: step, hits: put(lane, step, gesture) };
  }
  function onPointerMove(event: PointerEvent) {
    const now = drag.current;
    if (!now) return;
    if (now.kind === "note") {
      const by = event.clientX - now.x;
      if (Math.abs(by) > 3 || laneAt(event)?.note !== now.lane.note) now.moved = true;
      if (now.moved && now.end) {
        const length = Math.max(STEP / 4, Math.round((beatAt(event) - now.hit.beat) / (STEP / 4)) * (STEP / 4));
        void edit({ type: "set_hits", pattern: pattern.id, hits: [now.hit.id], length }, now.gesture);
      }
      return;
    }
    if (now.kind === "hit") {
      const up = now.y - event.clientY;
      if (Math.abs(up) > 3) now.moved = true;
      if (!now.moved) return;
      const velocity = Math.round(Math.min(127, Math.max(1, now.hit.velocity + up * 1.5)));
      void edit({ type: "set_hits", pattern: pattern.id, hits: [now.hit.id], velocity }, now.gesture);
      return;
    }
    // Every step from where the hand was to where it is, however fast it went.
    const last = pattern.bars * pattern.beats_per_bar - STEP;
    const to = Math.min(last, Math.max(0, Math.floor(beatAt(event) / STEP) * STEP));
    const missing: number[] = [];
    for (let step = Math.min(now.at, to); step <= Math.max(now.at, to); step += STEP) {
      const there =
        now.hits.some((h) => h.beat === step) ||
        pattern.hits.some((h) => now.lane.pads.includes(h.pad) && h.beat === step);
      if (!there) missing.push(step);
    }
    now.at = to;
    for (const step of missing) now.hits = put(now.lane, step, now.gesture, now.hits);
  }
  function onPointerUp(event: PointerEvent) {
    const now = drag.current;
    drag.current = null;
    if (now?.kind === "note" && now.moved && !now.end) {
      // Moved as a whole once it is let go: steps along the beats, rows of notes.
      const beats = Math.round((event.clientX - now.x) / perBeat / STEP) * STEP;
      const to = laneAt(event);
      const notes_ = to?.pad === now.lane.pad && to.note !== undefined ? to.note - (now.lane.note ?? 0) : 0;
      if (beats || notes_)
        void edit({ type: "move_hits", pattern: pattern.id, hits: [now.hit.id], beats, notes: notes_ });
      return;
    }
    if ((now?.kind === "hit" || now?.kind === "note") && !now.moved)
      void edit({ type: "remove_hits", pattern: pattern.id, hits: [now.hit.id] });
  }
  function onKeyDown(event: KeyboardEvent) {
    const at = cursor ?? { pad: lanes[0]?.pad ?? 0, beat: 0 };
    const i = Math.max(
      0,
      lanes.findIndex(
        (lane) => lane.pads.includes(at.pad) && (lane.note === undefined || lane.note === (at.note ?? 0)),
      ),
    );
    const lane = lanes[i];
    const end = pattern.bars * pattern.beats_per_bar;
    const move: Record<string, () => void> = {
      ArrowLeft: () => look({ step: { ...at, beat: Math.max(0, at.beat - STEP) } }),
      ArrowRight: () => look({ step: { ...at, beat: Math.min(end - STEP, at.beat + STEP) } }),
      ArrowUp: () => (event.shiftKey ? louder(at, 8) : look({ step: rowStep(lanes[Math.max(0, i - 1)], at) })),
      ArrowDown: () =>
        event.shiftKey ? louder(at, -8) : look({ step: rowStep(lanes[Math.min(lanes.length - 1, i + 1)], at) }),
      Enter: () => lane && toggle(lane, at.beat),
      Home: () => look({ step: { pad: at.pad, beat: 0 } }),
      End: () => look({ step: { pad: at.pad, beat: end - STEP } }),
    };
    const action = move[event.key];
    if (!action || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    action();
  }
  function toggle(lane: Lane, beat: number) {
    const hit = hitAt(lane, beat);
    if (hit) void edit({ type: "remove_hits", pattern: pattern.id, hits: [hit.id] });
    else put(lane, beat, null);
  }
  function louder(at: { pad: number; beat: number }, by: number) {
    const lane = lanes.find((l) => l.pads.includes(at.pad));
    const hit = lane && hitAt(lane, at.beat);
    if (hit)
      void edit({
        type: "set_hits",
        pattern: pattern.id,
        hits: [hit.id],
        velocity: Math.min(127, Math.max(1, hit.velocity + by)),
      });
  }

  function hitItems(event: MouseEvent): (Item | null)[] {
    const lane = laneAt(event);
    const hit = lane && hitAt(lane, beatAt(event));
    if (!hit) return [];
    const ids = [hit.id];
    const set = (velocity: number) => void edit({ type: "set_hits", pattern: pattern.id, hits: ids, velocity });
    return [
      { label: "Full velocity, 127", checked: hit.velocity === 127, onSelect: () => set(127) },
      { label: "Usual velocity, 100", checked: hit.velocity === 100, onSelect: () => set(100) },
      { label: "Ghost, 40", checked: hit.velocity === 40, onSelect: () => set(40) },
      null,
      ...ROLLS.map(([times, label]) => ({
        label,
        checked: (hit.roll?.times ?? 1) === times,
        onSelect: () =>
          void edit({
            type: "set_hits",
            pattern: pattern.id,
            hits: ids,
            roll: times === 1 ? null : { times, velocity: hit.roll?.velocity ?? 0, note: hit.roll?.note ?? 0 },
          }),
      })),
      ...(hit.roll
        ? (
            [
              ["Roll grows louder", { ...hit.roll, velocity: 50 }],
              ["Roll fades", { ...hit.roll, velocity: -70 }],
              ["Roll rises by an octave", { ...hit.roll, note: 12 }],
            ] as const
          ).map(([label, roll]) => ({
            label,
            onSelect: () => void edit({ type: "set_hits", pattern: pattern.id, hits: ids, roll }),
          }))
        : []),
      null,
      { label: "Play it", onSelect: () => voices.press(hit.pad, hit.velocity) },
      { label: "Choose its pad", onSelect: () => look({ pads: [hit.pad], page: Math.floor(hit.pad / PAGE) }) },
      null,
      { label: "Remove it", onSelect: () => void edit({ type: "remove_hits", pattern: pattern.id, hits: ids }) },
    ];
  }

  const here = cursor
    ? pattern.hits.find((h) => h.pad === cursor.pad && Math.abs(h.beat - cursor.beat) < STEP / 2)
    : undefined;
  return (
    <div className="flex" style={{ height }}>
      <LaneNames pattern={pattern} lanes={lanes} row={row} width={NAMES} top={top} />
      <Context label="Hit: what to do" items={hitItems}>
        <div
          ref={box}
          role="application"
          tabIndex={0}
          data-own-arrows
          data-testid="pattern-grid"
          aria-label={`Steps of ${pattern.name}. Arrows move, Enter sets or removes a hit, Shift with up and down changes its velocity.`}
          className="relative grow touch-none"
          onPointerDown={onPointerDown}
          onPointerMove={onPointerMove}
          onPointerUp={onPointerUp}
          onKeyDown={onKeyDown}
        >
          <canvas ref={canvas} style={{ width: width || "100%", height }} className="block" />
          <Playhead moving={playing} at={() => inLoop(width)} />
          <span className="sr-only" aria-live="polite">
            {cursor ? `step ${cursor.beat / STEP + 1}, ${here ? `hit, velocity ${here.velocity}` : "empty"}` : ""}
          </span>
        </div>
      </Context>
    </div>
  );
}

/** Beats that a hit is drawn wide: in a row of notes its length. */
function long(lane: Lane, hit: Hit): number {
  return lane.note === undefined ? STEP * 0.92 : Math.max(STEP / 4, hit.length ?? STEP);
}

function rowStep(
  lane: Lane | undefined,
  at: { pad: number; beat: number },
): { pad: number; beat: number; note?: number } {
  return lane ? { pad: lane.pad, beat: at.beat, note: lane.note } : at;
}

function paintLines(
  c: CanvasRenderingContext2D,
  pattern: Pattern,
  perBeat: number,
  width: number,
  height: number,
  top: number,
): void {
  const steps = pattern.bars * pattern.beats_per_bar * 4;
  c.font = '500 11px "Atkinson Hyperlegible Next Variable"';
  // Names of bars that would run into each other are left out: every second, fourth, eighth one stays.
  const named = 2 ** Math.max(0, Math.ceil(Math.log2(44 / (perBeat * pattern.beats_per_bar))));
  for (let s = 0; s <= steps; s++) {
    const bar = s % (pattern.beats_per_bar * 4) === 0;
    const beat = s % 4 === 0;
    if ((!beat && perBeat < 26) || (!bar && perBeat < 7)) continue;
    const x = Math.min(width - 1, Math.round((s / 4) * perBeat));
    const number = s / (pattern.beats_per_bar * 4);
    const strong = number % named === 0;
    c.fillStyle = strong ? INK : beat ? "rgba(42,27,51,0.28)" : "rgba(42,27,51,0.1)";
    c.fillRect(x, strong ? 0 : top, 1, height);
    if (top && strong && s < steps) {
      c.fillStyle = "#5c5163";
      c.fillText(`bar ${number + 1}`, x + 4, 11);
    }
  }
}

function paintHit(c: CanvasRenderingContext2D, hit: Hit, lane: Lane, y: number, row: number, perBeat: number): void {
  const wide = Math.max(3, lane.note === undefined ? STEP * perBeat * 0.8 : long(lane, hit) * perBeat - 1);
  const tall = Math.max(3, (hit.velocity / 127) * (row - 4));
  c.globalAlpha = lane.empty ? 0.3 : 1;
  c.fillStyle = roleColor(lane.role);
  const times = hit.roll?.times ?? 1;
  // A roll as its strokes.
  for (let i = 0; i < times; i++) {
    const part = wide / times;
    const height = Math.max(
      3,
      Math.min(1, (hit.velocity + (hit.roll?.velocity ?? 0) * (i / Math.max(1, times - 1))) / 127) * (row - 4),
    );
    c.fillRect(
      hit.beat * perBeat + 1 + i * part,
      y + row - 2 - height,
      times > 1 ? Math.max(1, part - 1) : wide,
      times > 1 ? height : tall,
    );
  }
  c.globalAlpha = 1;
}
