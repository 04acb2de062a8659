/** The pattern drawn: lines, steps of lanes, hits, what comes round again, the chosen ones. */
import type { Hit, Pattern } from "../../../api/types";
import { chordNames } from "../chords";
import { CARD, INK, INK2, NOW, PAPER, WELL, faded, roleColor } from "../../../design/roles";
import { beatsOf, laneOf, STEP, stepsOf, writtenBeats } from "../hits";
import type { Lane } from "../lanes";
import type { Bend } from "./bend";

export interface Sheet {
  pattern: Pattern;
  lanes: Lane[];
  row: number;
  top: number;
  width: number;
  height: number;
  perBeat: number;
  bend: Bend;
  chosen: Set<string>;
  cursor: { pad: number; beat: number; note?: number } | null;
  /** Of lanes that come round again: pad and beat of what is heard in the first pass. */
  heard: [number, number][];
  inKey: ((note: number, pad: number) => boolean) | null;
  /** What is being moved, in beats and rows. */
  moving: { by: number; ids: Set<string> } | null;
  box: { x: number; y: number; w: number; h: number } | null;
  /** Beats from which to which it goes round, where that is not all. */
  part: [number, number] | null;
}

export function paintSheet(c: CanvasRenderingContext2D, sheet: Sheet, from: number, seen: number): void {
  const { lanes, row, top, width, perBeat } = sheet;
  paintLines(c, sheet, from, seen);
  lanes.forEach((lane, i) => {
    const y = top + i * row;
    c.fillStyle = faded(INK, 0.12);
    c.fillRect(from, y + row - 1, seen, 1);
    if (lane.note === 0 || (lane.note !== undefined && sheet.inKey && !sheet.inKey(lane.note, lane.pad))) {
      c.fillStyle = lane.note === 0 ? faded(INK, 0.07) : faded(INK, 0.045);
      c.fillRect(from, y, seen, row - 1);
    }
    if (!lane.group) paintSteps(c, sheet, lane, y);
    paintCursor(c, sheet, lane, y);
  });
  paintHits(c, sheet, from, seen);
  if (sheet.part) {
    c.fillStyle = faded(PAPER, 0.66);
    c.fillRect(0, top, sheet.part[0] * perBeat, sheet.height);
    c.fillRect(sheet.part[1] * perBeat, top, width, sheet.height);
    c.fillStyle = NOW;
    c.fillRect(sheet.part[0] * perBeat, top - 3, (sheet.part[1] - sheet.part[0]) * perBeat, 3);
  }
  if (sheet.box) {
    c.strokeStyle = INK;
    c.setLineDash([3, 3]);
    c.strokeRect(sheet.box.x + 0.5, sheet.box.y + 0.5, sheet.box.w, sheet.box.h);
    c.setLineDash([]);
  }
}

function paintLines(c: CanvasRenderingContext2D, sheet: Sheet, from: number, seen: number): void {
  const { pattern, perBeat, width, height, top, bend } = sheet;
  const steps = beatsOf(pattern) * 4;
  c.font = '500 11px "Atkinson Hyperlegible Next Variable"';
  const perBar = pattern.beats_per_bar * 4;
  // Names of bars that would run into each other are left out: every second, fourth, eighth one stays.
  const named = 2 ** Math.max(0, Math.ceil(Math.log2(44 / (perBeat * pattern.beats_per_bar))));
  const first = Math.max(0, Math.floor((from / perBeat) * 4) - 4);
  const last = Math.min(steps, Math.ceil(((from + seen) / perBeat) * 4) + 4);
  for (let s = first; s <= last; s++) {
    const bar = s % perBar === 0;
    const beat = s % 4 === 0;
    if ((!beat && perBeat < 26) || (!bar && perBeat < 7)) continue;
    const x = Math.min(width - 1, Math.round((s === steps ? s / 4 : bend.to(s / 4)) * perBeat));
    const number = s / perBar;
    const strong = number % named === 0;
    c.fillStyle = strong ? INK : faded(INK, beat ? 0.28 : 0.1);
    c.fillRect(x, strong ? 0 : top, 1, height);
    if (top && strong && s < steps) {
      c.fillStyle = INK2;
      c.fillText(`bar ${number + 1}`, x + 4, 11);
    }
  }
  if (!top) return;
  c.font = '600 11px "Atkinson Hyperlegible Next Variable"';
  c.fillStyle = roleColor("tonal");
  const chords = chordNames(pattern);
  chords.forEach(({ beat, name }) => {
    const room = perBeat * pattern.beats_per_bar > 90 && beat % pattern.beats_per_bar === 0 ? 46 : 4;
    c.fillText(name, beat * perBeat + room, 11);
  });
}

/** A lane with a length or rate of its own: its own steps, the ones left out hatched, and where it begins again. */
function paintSteps(c: CanvasRenderingContext2D, sheet: Sheet, lane: Lane, y: number): void {
  const { pattern, perBeat, row, width } = sheet;
  const own = laneOf(pattern, lane.pad);
  const end = writtenBeats(pattern, own);
  if (own.step !== STEP && own.step * perBeat > 4) {
    c.fillStyle = faded(INK, 0.22);
    for (let at = own.step; at < end - 1e-6; at += own.step) c.fillRect(Math.round(at * perBeat), y + row - 6, 1, 5);
  }
  const wide = own.step * perBeat;
  for (const skipped of own.skipped) {
    if (skipped >= stepsOf(pattern, own)) continue;
    const x = skipped * wide;
    c.fillStyle = faded(WELL, 0.95);
    c.fillRect(x, y, wide, row - 1);
    c.strokeStyle = faded(INK, 0.35);
    c.lineWidth = 1;
    c.beginPath();
    for (let k = -row; k < wide; k += 6) {
      c.moveTo(x + Math.max(0, k), y + row - 1 - Math.max(0, -k));
      c.lineTo(x + Math.min(wide, k + row), y + Math.max(0, k + row - wide));
    }
    c.stroke();
  }
  if (end < beatsOf(pattern) - 1e-6) {
    c.fillStyle = faded(WELL, 0.75);
    c.fillRect(end * perBeat, y, width - end * perBeat, row - 1);
    c.fillStyle = INK;
    c.fillRect(Math.round(end * perBeat), y + 2, 2, row - 5);
  }
}

function paintCursor(c: CanvasRenderingContext2D, sheet: Sheet, lane: Lane, y: number): void {
  const { cursor, perBeat, row, pattern } = sheet;
  if (!cursor || !(lane.note === undefined || lane.note === (cursor.note ?? 0))) return;
  if (!lane.pads.includes(cursor.pad) && (lane.group || cursor.pad !== lane.pad)) return;
  const step = laneOf(pattern, lane.pad).step;
  c.strokeStyle = NOW;
  c.lineWidth = 2;
  const x = sheet.bend.to(cursor.beat) * perBeat;
  c.strokeRect(x + 1, y + 1, Math.max(4, sheet.bend.to(cursor.beat + step) * perBeat - x - 2), row - 3);
}

function paintHits(c: CanvasRenderingContext2D, sheet: Sheet, from: number, seen: number): void {
  const { pattern, lanes, row, top, perBeat } = sheet;
  const rows = new Map(
    lanes.flatMap((lane, i) =>
      lane.pads.map((pad) => [lane.note === undefined ? `${pad}` : `${pad} ${lane.note}`, i] as const),
    ),
  );
  for (const [pad, beat] of sheet.heard) {
    const i = rows.get(`${pad}`);
    if (i === undefined) continue;
    c.fillStyle = roleColor((lanes[i] as Lane).role);
    c.globalAlpha = 0.4;
    c.fillRect(beat * perBeat + 1, top + i * row + row * 0.55, Math.max(2, perBeat * 0.08), row * 0.4);
    c.globalAlpha = 1;
  }
  const soloed = Object.values(pattern.lanes).some((lane) => lane.solo);
  for (const hit of pattern.hits) {
    if (hit.beat >= beatsOf(pattern)) continue;
    const i = rows.get(`${hit.pad}`) ?? rows.get(`${hit.pad} ${hit.note}`);
    if (i === undefined) continue;
    const lane = lanes[i] as Lane;
    const x = placeOf(sheet, hit) * perBeat;
    if (x > from + seen || x + widthOf(sheet, lane, hit) < from - 4) continue;
    const own = laneOf(pattern, hit.pad);
    const pale = lane.empty || own.muted || (soloed && !own.solo);
    paintHit(c, sheet, hit, lane, x, top + i * row, pale);
  }
}

/** The beat at which a hit is drawn: where it is heard. What stands off the grid is not swung. */
export function placeOf(sheet: Pick<Sheet, "bend" | "pattern" | "moving">, hit: Hit): number {
  const beat = hit.beat + (sheet.moving?.ids.has(hit.id) ? sheet.moving.by : 0);
  const off = Math.abs(beat / STEP - Math.round(beat / STEP)) > 1e-6;
  return off && !sheet.pattern.feel ? beat : sheet.bend.to(beat);
}

/** Beats that a hit is drawn wide: in a row of notes its length. */
export function long(pattern: Pattern, lane: Lane, hit: Hit): number {
  const step = laneOf(pattern, hit.pad).step;
  return lane.note === undefined ? step * 0.92 : Math.max(STEP / 4, hit.length ?? STEP);
}

function widthOf(sheet: Sheet, lane: Lane, hit: Hit): number {
  const wide = long(sheet.pattern, lane, hit) * sheet.perBeat;
  return Math.max(3, lane.note === undefined ? wide * 0.87 : wide - 1);
}

function paintHit(
  c: CanvasRenderingContext2D,
  sheet: Sheet,
  hit: Hit,
  lane: Lane,
  x: number,
  y: number,
  pale: boolean,
): void {
  const { row } = sheet;
  const wide = widthOf(sheet, lane, hit);
  c.globalAlpha = pale ? 0.3 : 1;
  c.fillStyle = roleColor(lane.role);
  const times = hit.roll?.times ?? 1;
  const tall = (velocity: number) => Math.max(3, Math.min(1, velocity / 127) * (row - 4));
  const unsure = hit.when !== null;
  // A roll as its strokes; what does not come each time only as its outline.
  for (let i = 0; i < times; i++) {
    const part = wide / times;
    const height = tall(hit.velocity + (hit.roll?.velocity ?? 0) * (i / Math.max(1, times - 1)));
    const rect = [x + 1 + i * part, y + row - 2 - height, times > 1 ? Math.max(1, part - 1) : wide, height] as const;
    if (unsure) {
      c.globalAlpha = pale ? 0.12 : 0.28;
      c.fillRect(...rect);
      c.globalAlpha = pale ? 0.3 : 1;
      c.strokeStyle = roleColor(lane.role);
      c.lineWidth = 1.5;
      c.strokeRect(rect[0] + 0.75, rect[1] + 0.75, Math.max(1, rect[2] - 1.5), Math.max(1, rect[3] - 1.5));
    } else c.fillRect(...rect);
  }
  if (hit.own.reverse === true && wide > 8) {
    c.fillStyle = CARD;
    c.beginPath();
    c.moveTo(x + 3, y + row - 7);
    c.lineTo(x + 8, y + row - 11);
    c.lineTo(x + 8, y + row - 3);
    c.fill();
  }
  if (sheet.chosen.has(hit.id)) {
    c.strokeStyle = NOW;
    c.lineWidth = 2;
    c.strokeRect(x, y + 1, wide + 2, row - 3);
  }
  c.globalAlpha = 1;
}
