/** The pattern as lanes of hits, by hand and by keys; see grid/ for each. */
import { useEffect, useRef, useState, type MouseEvent, type RefObject } from "react";

import type { Pattern } from "../../api/types";
import { isMidi, midiOntoLane } from "../../app/midiFiles";
import { usePocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { inPass, useLoop } from "../../audio/loop";
import { Context, type Item } from "../../design/Menu";
import { Playhead } from "../../design/Playhead";
import { prepare } from "../../wave/draw";
import { usePaint, useWidth } from "../../wave/useCanvas";
import { bendOf } from "./grid/bend";
import { hitItems, stepItems } from "./grid/hitItems";
import { paintSheet, type Sheet } from "./grid/paint";
import { gridKeys } from "./grid/useGridKeys";
import { overSheet, useHands } from "./grid/useHands";
import { beatsOf, laneOf, STEP } from "./hits";
import { inKeyOf, grouped, type Lane, withNotes } from "./lanes";
import { LaneNames } from "./LaneNames";

const NAMES = 132;

interface Props {
  pattern: Pattern;
  lanes: Lane[];
  row: number;
  heading: boolean;
  /** What scrolls it, where it may be wider than it is seen. */
  scroller?: RefObject<HTMLDivElement | null>;
}

export function PatternGrid({ pattern, lanes: all, row, heading, scroller }: Props) {
  const unfolded = useView((s) => s.unfolded);
  const pads = useView((s) => s.pads);
  const notes = useView((s) => s.notes);
  const keyRows = useView((s) => s.keyRows);
  const zoom = useView((s) => s.zoom);
  const chosen = useView((s) => s.hits);
  const cursor = useView((s) => s.step);
  const pocket = usePocket((s) => s.open?.pocket);
  const loop = usePocket((s) => s.open?.sounds?.loop);
  const playing = useLoop((s) => s.playing);
  const part = useLoop((s) => s.part);
  const inKey = pocket ? inKeyOf(pocket) : null;
  const lanes = withNotes(grouped(all, unfolded, pads), pattern, heading ? notes : [], keyRows ? inKey : null);
  const outer = useRef<HTMLDivElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const room = Math.max(0, useWidth(outer) - NAMES);
  const [moves, setMoves] = useState<Pick<Sheet, "moving" | "box">>({ moving: null, box: null });
  const top = heading ? 16 : 0;
  const width = Math.floor(room * (heading ? zoom : 1));
  const height = Math.max(row, lanes.length * row) + top;
  const mine = loop?.pattern === pattern.id ? loop : undefined;
  const sheet: Sheet = {
    pattern,
    lanes,
    row,
    top,
    width,
    height,
    perBeat: width / beatsOf(pattern),
    bend: bendOf(mine?.lines, beatsOf(pattern)),
    chosen: new Set(heading ? chosen : []),
    cursor,
    heard: comingRound(pattern, mine),
    inKey,
    part: heading && part && mine ? part : null,
    ...moves,
  };
  const over = overSheet(sheet, box);
  const hands = useHands(sheet, over, box, (change) => setMoves((before) => ({ ...before, ...change })));

  const ask = usePaint(() => {
    if (!canvas.current || !room) return;
    const from = Math.max(0, Math.min(scroller?.current?.scrollLeft ?? 0, width - room));
    const c = prepare(canvas.current, room, height);
    c.clearRect(0, 0, room, height);
    c.save();
    c.translate(-from, 0);
    paintSheet(c, sheet, from, room);
    c.restore();
  });
  useFollow(scroller, width > room, () => inPass(pattern.id, width), room, ask, playing);

  function items(event: MouseEvent): (Item | null)[] {
    const lane = over.laneAt(event);
    if (!lane) return [];
    const beat = over.beatAt(event);
    const hit = over.hitAt(lane, beat);
    if (!hit) return stepItems(pattern, lane, beat);
    return hitItems(pattern, hit, chosen.includes(hit.id) ? chosen : [hit.id]);
  }

  const here = cursor
    ? pattern.hits.find((h) => h.pad === cursor.pad && Math.abs(h.beat - cursor.beat) < STEP / 2)
    : undefined;
  return (
    <>
      {/* As wide as it is seen: what is wider than that says nothing of the room there is. */}
      <div ref={outer} />
      <div className="flex" style={{ height, width: width > room ? width + NAMES : undefined }}>
        <LaneNames pattern={pattern} lanes={lanes} row={row} width={NAMES} top={top} tools={heading} />
        <Context label="Hit: what to do" items={items}>
          <div
            ref={box}
            role="application"
            tabIndex={0}
            data-own-arrows
            data-testid="pattern-grid"
            aria-label={`Steps of ${pattern.name}. Arrows move, Enter sets or removes a hit, Shift with up and down changes its velocity, Alt with arrows moves what is chosen.`}
            className="relative touch-none"
            style={{ width: width || "100%" }}
            {...hands}
            onDragOver={(event) => event.dataTransfer.types.includes("Files") && event.preventDefault()}
            onDrop={(event) => {
              const lane = over.laneAt(event);
              const files = [...event.dataTransfer.files].filter(isMidi);
              if (!files.length || !lane || lane.group) return;
              event.preventDefault();
              event.stopPropagation();
              for (const file of files) void midiOntoLane(file, pattern, lane.pad);
            }}
            onKeyDown={gridKeys(sheet, over)}
          >
            <canvas
              ref={canvas}
              style={{ width: room || "100%", height, left: NAMES }}
              className={width > room ? "sticky block" : "block"}
            />
            <Playhead moving={playing} at={() => inPass(pattern.id, width)} />
            <span className="sr-only" aria-live="polite">
              {cursor ? `step ${cursor.beat / STEP + 1}, ${here ? `hit, velocity ${here.velocity}` : "empty"}` : ""}
              {chosen.length ? `, ${chosen.length} hits chosen` : ""}
            </span>
          </div>
        </Context>
      </div>
    </>
  );
}

/** What is heard, in the first pass, of lanes that come round by themselves. */
function comingRound(
  pattern: Pattern,
  loop: { hits: number[]; rate: number; tempo: number } | undefined,
): [number, number][] {
  const own = Object.keys(pattern.lanes).filter((pad) => {
    const lane = laneOf(pattern, Number(pad));
    return lane.steps !== null || lane.skipped.length;
  });
  if (!own.length || !loop) return [];
  const mine = new Set(own.map(Number));
  const out: [number, number][] = [];
  for (let i = 0; i < loop.hits.length; i += 2) {
    const beat = ((loop.hits[i] as number) / loop.rate) * (loop.tempo / 60);
    if (mine.has(loop.hits[i + 1] as number) && beat < beatsOf(pattern)) out.push([loop.hits[i + 1] as number, beat]);
  }
  return out;
}

/** Scrolled by hand, the picture is painted anew; while it plays, the playhead stays in view. */
function useFollow(
  scroller: RefObject<HTMLDivElement | null> | undefined,
  wide: boolean,
  place: () => number | null,
  room: number,
  ask: () => void,
  playing: boolean,
) {
  const latest = useRef(place);
  useEffect(() => {
    latest.current = place;
  });
  useEffect(() => {
    const element = scroller?.current;
    if (!element || !wide) return;
    element.addEventListener("scroll", ask);
    const timer = playing
      ? window.setInterval(() => {
          const x = latest.current();
          if (x !== null && (x < element.scrollLeft || x > element.scrollLeft + room - 8))
            element.scrollLeft = Math.max(0, x - 24);
        }, 60)
      : 0;
    return () => {
      element.removeEventListener("scroll", ask);
      window.clearInterval(timer);
    };
  }, [scroller, wide, ask, room, playing]);
}
