/** Paints waves, bands, slices and grids on a canvas. Pixels are CSS pixels; the canvas is scaled beforehand. */
import { beatBefore, type Grid, type SliceMark } from "./marks";
import { BASE, columns, sampleReader, sourcePeak } from "./peaks";
import { CARD, INK, INK2, NOW, NOWTINT, ROLES, RULE, STRIPE, faded, roleColor } from "../design/roles";

export interface Frame {
  hash: string;
  frames: number;
  start: number;
  perPixel: number;
  width: number;
}

export const BAND_HEIGHT = 13;

/** Match the bitmap to the element and the screen, and return a context in CSS pixels. */
export function prepare(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D {
  const scale = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
    canvas.width = Math.round(width * scale);
    canvas.height = Math.round(height * scale);
  }
  const context = canvas.getContext("2d") as CanvasRenderingContext2D;
  context.setTransform(scale, 0, 0, scale, 0, 0);
  return context;
}

/** The loudest place of the whole source fills the height; with `fit`, the loudest place in view does. */
export function paintWave(
  c: CanvasRenderingContext2D,
  frame: Frame,
  top: number,
  height: number,
  color = INK,
  fit = false,
): void {
  const gain = 1 / sourcePeak(frame.hash, frame.frames);
  if (frame.perPixel < 4) {
    paintSamples(c, frame, top, height, color, gain);
    return;
  }
  const middle = top + height / 2;
  const close = frame.perPixel < BASE;
  const cols = close
    ? sampleColumns(frame)
    : columns(frame.hash, frame.frames, frame.start, frame.perPixel, frame.width);
  let scale = (height / 2) * gain;
  if (fit) {
    let peak = 0;
    for (let x = 0; x < frame.width; x++) peak = Math.max(peak, cols.max[x] as number, -(cols.min[x] as number));
    scale = height / 2 / Math.max(peak, 0.002);
  }
  c.fillStyle = color;
  for (let x = 0; x < frame.width; x++) {
    const high = middle - (cols.max[x] as number) * scale;
    const low = middle - (cols.min[x] as number) * scale;
    c.fillRect(x, high, 1, Math.max(1, low - high));
  }
}

/** Extremes of each pixel from the samples themselves, where the stored peaks are too coarse. */
function sampleColumns(frame: Frame): { min: Float32Array; max: Float32Array } {
  const min = new Float32Array(frame.width);
  const max = new Float32Array(frame.width);
  const read = sampleReader(frame.hash);
  for (let x = 0; x < frame.width; x++) {
    const first = Math.max(0, Math.floor(frame.start + x * frame.perPixel));
    // One sample over, so that neighbouring columns touch.
    const last = Math.min(frame.frames, Math.floor(frame.start + (x + 1) * frame.perPixel) + 1);
    let low = Infinity;
    let high = -Infinity;
    for (let i = first; i < last; i++) {
      const value = read(i) ?? 0;
      if (value < low) low = value;
      if (value > high) high = value;
    }
    if (high >= low) {
      min[x] = low;
      max[x] = high;
    }
  }
  return { min, max };
}

/** Close enough to see single samples: a line through them, and dots when there is room. */
function paintSamples(
  c: CanvasRenderingContext2D,
  frame: Frame,
  top: number,
  height: number,
  color: string,
  gain: number,
): void {
  const middle = top + height / 2;
  const read = sampleReader(frame.hash);
  const first = Math.max(0, Math.floor(frame.start));
  const last = Math.min(frame.frames - 1, Math.ceil(frame.start + frame.width * frame.perPixel));
  c.strokeStyle = color;
  c.fillStyle = color;
  c.lineWidth = 1.3;
  c.beginPath();
  let drawing = false;
  const dots = frame.perPixel < 1 / 6;
  for (let i = first; i <= last; i++) {
    const value = read(i);
    if (value === undefined) {
      drawing = false;
      continue;
    }
    const x = (i - frame.start) / frame.perPixel;
    const y = middle - value * gain * (height / 2);
    if (drawing) c.lineTo(x, y);
    else c.moveTo(x, y);
    drawing = true;
    if (dots) c.fillRect(x - 1.5, y - 1.5, 3, 3);
  }
  c.stroke();
}

const BANDS = [
  { key: "high", role: "hat", label: "high" },
  { key: "mid", role: "snare", label: "mid" },
  { key: "low", role: "kick", label: "low" },
] as const;

/** Three rows, high over middle over low: darker is louder. */
export function paintBands(c: CanvasRenderingContext2D, frame: Frame, top: number): void {
  const cols = columns(frame.hash, frame.frames, frame.start, Math.max(frame.perPixel, 0.01), frame.width);
  BANDS.forEach((band, row) => {
    c.fillStyle = ROLES[band.role].color;
    const levels = cols[band.key];
    const y = top + row * BAND_HEIGHT;
    for (let x = 0; x < frame.width; x++) {
      // 66 dB in 255 steps; 30 dB of them are shown, from -36 dBFS.
      const alpha = ((levels[x] as number) - 116) / 116;
      if (alpha <= 0) continue;
      c.globalAlpha = Math.min(1, alpha);
      c.fillRect(x, y, 1, BAND_HEIGHT - 2);
    }
    c.globalAlpha = 1;
  });
}

export function paintSlices(
  c: CanvasRenderingContext2D,
  frame: Frame,
  slices: SliceMark[],
  height: number,
  chosen: Set<string>,
): void {
  const x = (at: number) => (at - frame.start) / frame.perPixel;
  for (const slice of slices) {
    const left = x(slice.start);
    const right = x(slice.end);
    if (right < 0 || left > frame.width) continue;
    c.fillStyle = chosen.has(slice.id) ? NOWTINT : slice.number % 2 ? STRIPE : CARD;
    c.fillRect(left, 0, right - left, height);
  }
}

export function paintCuts(
  c: CanvasRenderingContext2D,
  frame: Frame,
  slices: SliceMark[],
  height: number,
  chosen: Set<string>,
): void {
  c.font = '600 11px "Atkinson Hyperlegible Next Variable"';
  let freeFrom = -1;
  const end = frame.start + frame.width * frame.perPixel;
  const inView = slices.filter((slice) => slice.start >= frame.start && slice.start <= end).length;
  // Where cuts stand close, the wave must still show between them.
  const faint = Math.min(1, Math.max(0.22, frame.width / Math.max(1, inView) / 12));
  for (const slice of slices) {
    const left = (slice.start - frame.start) / frame.perPixel;
    if (left < -20 || left > frame.width) continue;
    const on = chosen.has(slice.id);
    c.fillStyle = on ? NOW : slice.color;
    c.globalAlpha = on ? 1 : faint;
    c.fillRect(Math.round(left), 0, on ? 2 : 1.3, height);
    c.globalAlpha = 1;
    const text = String(slice.number);
    const room = 5 + text.length * 6;
    if (left < freeFrom && !on) continue;
    c.fillRect(Math.round(left), 0, room, 13);
    c.fillStyle = CARD;
    c.fillText(text, Math.round(left) + 3, 10);
    freeFrom = left + room + 1;
  }
}

/** Cuts that are not made yet: dashed, with a foot instead of a tag. */
export function paintProposed(
  c: CanvasRenderingContext2D,
  frame: Frame,
  at: number[],
  colors: string[],
  height: number,
): void {
  c.save();
  c.setLineDash([4, 3]);
  c.lineWidth = 1.4;
  at.forEach((place, i) => {
    const x = Math.round((place - frame.start) / frame.perPixel) + 0.5;
    if (x < -4 || x > frame.width + 4) return;
    c.strokeStyle = c.fillStyle = colors[i] as string;
    c.beginPath();
    c.moveTo(x, 0);
    c.lineTo(x, height);
    c.stroke();
    c.fillRect(x - 2.5, 0, 5, 5);
  });
  c.restore();
}

/** Bars whose numbers are written, with where and what: as many as there is room for. */
export function barsShown(grid: Grid, frame: Frame): { index: number; x: number; label: string }[] {
  const first = Math.max(0, beatBefore(grid, frame.start) - grid.beatsPerBar);
  const last = Math.min(grid.beats.length - 1, beatBefore(grid, frame.start + frame.width * frame.perPixel) + 1);
  const out: { index: number; x: number; label: string }[] = [];
  if (last <= first) return out;
  const perBar =
    (((grid.beats[last] as number) - (grid.beats[first] as number)) / (last - first) / frame.perPixel) *
    grid.beatsPerBar;
  const every = 2 ** Math.max(0, Math.ceil(Math.log2(24 / perBar)));
  for (let index = first; index <= last; index++) {
    if (grid.bars[index] !== true) continue;
    const number = Math.floor((index - grid.one) / grid.beatsPerBar);
    const x = ((grid.beats[index] as number) - frame.start) / frame.perPixel;
    if (number % every === 0 && x > -40 && x <= frame.width)
      out.push({ index, x: Math.round(x), label: number >= 0 ? String(number + 1) : `\u2212${-number}` });
  }
  return out;
}

/** The row of bar numbers over a wave. */
export function paintRuler(c: CanvasRenderingContext2D, frame: Frame, grid: Grid, height: number): void {
  c.font = '500 11px "Atkinson Hyperlegible Next Variable"';
  for (const { index, x, label } of barsShown(grid, frame)) {
    const one = index === grid.one;
    c.fillStyle = one ? INK : faded(INK, 0.55);
    c.fillRect(x, 0, one ? 2 : 1, height);
    c.fillStyle = one ? INK : INK2;
    c.fillText(label, x + 4, height - 4);
  }
}

export function paintGrid(c: CanvasRenderingContext2D, frame: Frame, grid: Grid, top: number, height: number): void {
  const first = Math.max(0, beatBefore(grid, frame.start) - grid.beatsPerBar);
  const last = Math.min(grid.beats.length - 1, beatBefore(grid, frame.start + frame.width * frame.perPixel) + 1);
  if (last <= first) return;
  const perBeat = ((grid.beats[last] as number) - (grid.beats[first] as number)) / (last - first) / frame.perPixel;
  const everyBar = 2 ** Math.max(0, Math.ceil(Math.log2(10 / (perBeat * grid.beatsPerBar))));
  for (let i = first; i <= last; i++) {
    const bar = grid.bars[i] === true;
    if (!bar && perBeat < 8) continue;
    const number = Math.floor((i - grid.one) / grid.beatsPerBar);
    if (bar && number % everyBar !== 0) continue;
    const x = ((grid.beats[i] as number) - frame.start) / frame.perPixel;
    if (x > frame.width || x < -40) continue;
    const one = i === grid.one;
    c.fillStyle = one ? INK : bar ? faded(INK, 0.55) : faded(INK, 0.2);
    c.fillRect(Math.round(x), top, one ? 2 : 1, bar ? height : height * 0.6);
  }
}

/** Chords as labelled stretches under the wave. */
export function paintChords(
  c: CanvasRenderingContext2D,
  frame: Frame,
  chords: { start: number; end: number; label: string }[],
  top: number,
  height: number,
): void {
  c.font = '600 10.5px "Atkinson Hyperlegible Next Variable"';
  for (const chord of chords) {
    const left = (chord.start - frame.start) / frame.perPixel;
    const right = (chord.end - frame.start) / frame.perPixel;
    if (right < 0 || left > frame.width) continue;
    const none = chord.label === "none";
    c.fillStyle = none ? faded(INK, 0.06) : faded(roleColor("tonal"), 0.14);
    c.fillRect(left, top, Math.max(1, right - left - 1), height);
    const room = Math.min(right, frame.width) - Math.max(left, 0);
    if (room < c.measureText(chord.label).width + 6 || none) continue;
    c.fillStyle = ROLES.tonal.color;
    c.fillText(chord.label, Math.max(left, 0) + 4, top + height - 4);
  }
}

export function paintSpan(c: CanvasRenderingContext2D, frame: Frame, start: number, end: number, height: number): void {
  const left = (start - frame.start) / frame.perPixel;
  const right = (end - frame.start) / frame.perPixel;
  c.fillStyle = faded(NOW, 0.13);
  c.fillRect(left, 0, right - left, height);
  c.fillStyle = NOW;
  c.fillRect(left, 0, 1.5, height);
  c.fillRect(right - 1.5, 0, 1.5, height);
}

export function paintCursor(c: CanvasRenderingContext2D, frame: Frame, at: number, height: number): void {
  const x = (at - frame.start) / frame.perPixel;
  if (x < -8 || x > frame.width + 8) return;
  c.fillStyle = faded(INK, 0.75);
  c.fillRect(x - 0.75, 0, 1.2, height);
  c.beginPath();
  c.moveTo(x - 6, 0);
  c.lineTo(x + 7, 0);
  c.lineTo(x + 0.5, 8);
  c.fill();
}

export function paintRule(c: CanvasRenderingContext2D, y: number, width: number): void {
  c.fillStyle = RULE;
  c.fillRect(0, y, width, 1);
}
