/** The hand on the grid: paints, removes, chooses, moves, turns up and down. */
import { useRef, type PointerEvent, type RefObject } from "react";

import type { Hit, Pattern } from "../../../api/types";
import { edit } from "../../../app/edits";
import { usePocket } from "../../../app/pocket";
import { soundOf } from "../../../app/sounds";
import { useView } from "../../../app/view";
import { loopPlayer, useLoop } from "../../../audio/loop";
import { voices } from "../../../audio/voices";
import { newGesture } from "../../../design/NumberField";
import { beatsOf, chosenIn, laneOf, newHit, STEP, stepAt, writtenBeats } from "../hits";
import type { Lane } from "../lanes";
import { long, placeOf, type Sheet } from "./paint";

/** How near the end of a note its length is taken hold of, in pixels; how far a hand goes before it means to move. */
const END = 6;
const STILL = 4;

type Drag = { gesture: string; x: number; y: number } & (
  | { kind: "paint"; lane: Lane; at: number; hits: Hit[] }
  | { kind: "hit"; lane: Lane; hit: Hit; way: "none" | "sideways" | "up"; group: Hit[] }
  | { kind: "end"; lane: Lane; hit: Hit; moved: boolean }
  | { kind: "box"; more: string[] }
  | { kind: "ruler"; from: number }
);

export interface Over {
  laneAt: (event: { clientY: number }) => Lane | undefined;
  /** The beat under the pointer, as it is written. */
  beatAt: (event: { clientX: number }) => number;
  hitAt: (lane: Lane, beat: number) => Hit | undefined;
  put: (lane: Lane, beat: number, gesture: string | null, before?: Hit[]) => Hit[];
}

/** What lies where on the sheet. */
export function overSheet(sheet: Sheet, box: RefObject<HTMLElement | null>): Over {
  const { pattern, lanes, row, top, perBeat } = sheet;
  const left = () => box.current?.getBoundingClientRect().left ?? 0;
  const laneAt = (event: { clientY: number }) => {
    const y = event.clientY - (box.current?.getBoundingClientRect().top ?? 0) - top;
    return y < 0 ? undefined : lanes[Math.floor(y / row)];
  };
  const beatAt = (event: { clientX: number }) => sheet.bend.back((event.clientX - left()) / perBeat);
  const hitAt = (lane: Lane, beat: number) => {
    // The last of those whose drawn bar is under the pointer.
    const drawn = sheet.bend.to(beat);
    return pattern.hits
      .filter((hit) => {
        if (!lane.pads.includes(hit.pad) || (lane.note !== undefined && hit.note !== lane.note)) return false;
        const at = placeOf(sheet, hit);
        return drawn >= at - 0.03 && drawn < at + long(pattern, lane, hit);
      })
      .at(-1);
  };
  const put = (lane: Lane, beat: number, gesture: string | null, before: Hit[] = []) => {
    if (lane.empty || !lane.pads.length) return before;
    const own = laneOf(pattern, lane.pad);
    if (lane.note !== undefined && useView.getState().asChord && pattern.chords.length) {
      const length = pattern.beats_per_bar - (beat % pattern.beats_per_bar);
      void edit({ type: "place_chord", pattern: pattern.id, pad: lane.pad, beat, length }, gesture);
      return before;
    }
    const hits = [...before, newHit(lane.pad, beat, { note: lane.note ?? 0, length: lengthOf(lane.pad, own.step) })];
    void edit({ type: "put_hits", pattern: pattern.id, hits }, gesture);
    if (!useLoop.getState().playing) voices.press(lane.pad, 100);
    return hits;
  };
  return { laneAt, beatAt, hitAt, put };
}

/** A new hit lasts a step; that of a loop that is fitted to bars as long as they do. */
function lengthOf(pad: number, step: number): number {
  const sound = soundOf(usePocket.getState().open?.pocket.pads[pad]?.sound ?? {});
  return sound.time === "fit" ? sound.beats : step;
}

/** Set velocities of many hits by as much. */
export function turnUp(pattern: Pattern, hits: Hit[], by: number, gesture: string | null = null): void {
  const velocity = (hit: Hit) => Math.round(Math.min(127, Math.max(1, hit.velocity + by)));
  if (hits.length === 1 && hits[0])
    void edit({ type: "set_hits", pattern: pattern.id, hits: [hits[0].id], velocity: velocity(hits[0]) }, gesture);
  else if (hits.length)
    void edit(
      {
        type: "set_velocities",
        pattern: pattern.id,
        velocities: Object.fromEntries(hits.map((hit) => [hit.id, velocity(hit)])),
      },
      gesture,
    );
}

export function useHands(
  sheet: Sheet,
  over: Over,
  box: RefObject<HTMLElement | null>,
  show: (change: Partial<Pick<Sheet, "moving" | "box">>) => void,
) {
  const drag = useRef<Drag | null>(null);
  const { pattern, perBeat, top } = sheet;
  const { look } = useView.getState();
  const chosen = () => useView.getState().hits;
  const inBox = (event: { clientX: number; clientY: number }) => {
    const rect = box.current?.getBoundingClientRect();
    return { x: event.clientX - (rect?.left ?? 0), y: event.clientY - (rect?.top ?? 0) };
  };

  function onPointerDown(event: PointerEvent) {
    if (event.button !== 0) return;
    const at = inBox(event);
    const begin = { gesture: newGesture(), x: event.clientX, y: event.clientY };
    const beat = over.beatAt(event);
    if (top && at.y < top) {
      event.currentTarget.setPointerCapture(event.pointerId);
      drag.current = { ...begin, kind: "ruler", from: beat };
      return;
    }
    const lane = over.laneAt(event);
    if (!lane) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const hit = over.hitAt(lane, beat);
    if (event.shiftKey) {
      if (hit)
        look({ hits: chosen().includes(hit.id) ? chosen().filter((id) => id !== hit.id) : [...chosen(), hit.id] });
      else drag.current = { ...begin, kind: "box", more: chosen() };
      return;
    }
    const own = laneOf(pattern, lane.pad);
    const end = writtenBeats(pattern, own);
    const step = stepAt(own, own.steps !== null && !own.skipped.length ? beat % end : beat);
    look({ step: { pad: lane.pad, beat: step, note: lane.note } });
    if (hit) {
      const right = (placeOf(sheet, hit) + long(pattern, lane, hit)) * perBeat - at.x;
      const group = chosen().includes(hit.id) ? chosenIn(pattern, chosen()) : [hit];
      drag.current =
        lane.note !== undefined && right < END
          ? { ...begin, kind: "end", lane, hit, moved: false }
          : { ...begin, kind: "hit", lane, hit, way: "none", group };
    } else if (chosen().length) look({ hits: [] });
    else if (step < end)
      drag.current = { ...begin, kind: "paint", lane, at: step, hits: over.put(lane, step, begin.gesture) };
  }

  function onPointerMove(event: PointerEvent) {
    const now = drag.current;
    if (!now) return;
    const [dx, dy] = [event.clientX - now.x, now.y - event.clientY];
    if (now.kind === "box") {
      const [a, b] = [inBox(event), inBox({ clientX: now.x, clientY: now.y })];
      show({ box: { x: Math.min(a.x, b.x), y: Math.min(a.y, b.y), w: Math.abs(dx), h: Math.abs(dy) } });
    } else if (now.kind === "end") {
      if (Math.abs(dx) <= 3 && !now.moved) return;
      now.moved = true;
      const least = event.altKey ? 0.01 : STEP / 4;
      const length = Math.max(least, Math.round((over.beatAt(event) - now.hit.beat) / least) * least);
      void edit({ type: "set_hits", pattern: pattern.id, hits: [now.hit.id], length }, now.gesture);
    } else if (now.kind === "hit") {
      const notes = now.lane.note !== undefined;
      if (now.way === "none" && Math.max(Math.abs(dx), Math.abs(dy)) > STILL)
        now.way = notes || Math.abs(dx) > Math.abs(dy) ? "sideways" : "up";
      if (now.way === "sideways") {
        const by = movedBy(dx, event.altKey);
        show({ moving: { by, ids: new Set(now.group.map((hit) => hit.id)) } });
      } else if (now.way === "up") turnUp(pattern, now.group, Math.round(dy * 1.5), now.gesture);
    } else if (now.kind === "paint") paintOn(now, event);
  }

  /** Beats by which a hand has moved: whole steps, or freely. */
  function movedBy(dx: number, free: boolean): number {
    const now = drag.current;
    const step = now && "lane" in now ? laneOf(pattern, now.lane.pad).step : STEP;
    return free ? Math.round((dx / perBeat) * 1000) / 1000 : Math.round(dx / perBeat / step) * step;
  }

  /** Every step from where the hand was to where it is, however fast it went. */
  function paintOn(now: Drag & { kind: "paint" }, event: PointerEvent) {
    const own = laneOf(pattern, now.lane.pad);
    const last = writtenBeats(pattern, own) - own.step;
    const to = Math.min(last, Math.max(0, stepAt(own, over.beatAt(event))));
    const same = (a: number, b: number) => Math.abs(a - b) < 1e-6;
    const first = Math.round(Math.min(now.at, to) / own.step);
    const missing: number[] = [];
    for (let k = first; k <= Math.round(Math.max(now.at, to) / own.step); k++) {
      const step = k * own.step;
      const there =
        now.hits.some((hit) => same(hit.beat, step)) ||
        pattern.hits.some((hit) => now.lane.pads.includes(hit.pad) && same(hit.beat, step));
      if (!there && !own.skipped.includes(k)) missing.push(step);
    }
    now.at = to;
    for (const step of missing) now.hits = over.put(now.lane, step, now.gesture, now.hits);
  }

  function onPointerUp(event: PointerEvent) {
    const now = drag.current;
    drag.current = null;
    show({ moving: null, box: null });
    if (!now) return;
    const dx = event.clientX - now.x;
    if (now.kind === "ruler") return roundAndRound(now.from, over.beatAt(event), Math.abs(dx) > STILL);
    if (now.kind === "box") return chooseIn(now, inBox(event));
    if (now.kind === "end" && !now.moved) return removeOne(now.hit);
    if (now.kind !== "hit") return;
    if (now.way === "none") return removeOne(now.hit);
    if (now.way !== "sideways") return;
    const beats = movedBy(dx, event.altKey);
    const to = over.laneAt(event);
    const inNotes = to?.pad === now.lane.pad && to.note !== undefined;
    const notes = inNotes ? (to.note as number) - (now.lane.note ?? 0) : 0;
    const pad = now.lane.note === undefined && to && !to.group && to.pad !== now.lane.pad && now.group.length === 1;
    const hits = now.group.map((hit) => hit.id);
    if (event.ctrlKey || event.metaKey) {
      const copies = now.group.map((hit) => ({ ...hit, id: "", beat: hit.beat + beats, note: hit.note + notes }));
      const inside = copies.filter((hit) => hit.beat >= 0 && hit.beat < beatsOf(pattern));
      if ((beats || notes) && inside.length) void edit({ type: "put_hits", pattern: pattern.id, hits: inside });
    } else if (beats || notes || pad)
      void edit({ type: "move_hits", pattern: pattern.id, hits, beats, notes, ...(pad ? { pad: to.pad } : {}) });
  }

  function removeOne(hit: Hit) {
    void edit({ type: "remove_hits", pattern: pattern.id, hits: [hit.id] });
  }

  function chooseIn(now: Drag & { kind: "box" }, end: { x: number; y: number }) {
    const start = inBox({ clientX: now.x, clientY: now.y });
    const [x0, x1] = [Math.min(start.x, end.x), Math.max(start.x, end.x)];
    const lanes = sheet.lanes.slice(
      Math.max(0, Math.floor((Math.min(start.y, end.y) - top) / sheet.row)),
      Math.floor((Math.max(start.y, end.y) - top) / sheet.row) + 1,
    );
    const inside = pattern.hits.filter((hit) => {
      const x = placeOf(sheet, hit) * perBeat;
      const there = lanes.some(
        (lane) => lane.pads.includes(hit.pad) && (lane.note === undefined || lane.note === hit.note),
      );
      return there && x + 4 >= x0 && x <= x1;
    });
    look({ hits: [...new Set([...now.more, ...inside.map((hit) => hit.id)])] });
  }

  /** Bars between which it goes round while it is worked on; a click alone: all of it again. */
  function roundAndRound(from: number, to: number, dragged: boolean) {
    if (!dragged) return loopPlayer.setPart(null);
    const [a, b] = [Math.min(from, to), Math.max(from, to)];
    const first = Math.floor(a);
    loopPlayer.setPart([first, Math.min(beatsOf(pattern), Math.max(first + 1, Math.ceil(b)))]);
  }

  return { onPointerDown, onPointerMove, onPointerUp, onPointerCancel: onPointerUp };
}
