/** Tiles of a source's picture and of its samples, fetched as they come into view and kept. */
import { pcm } from "../api/client";
import { CHUNK } from "../audio/tapeMessages";

export const BASE = 64;
export const FACTOR = 8;
export const LEVELS = 4;
const TILE = 4096;
const PEAK_BYTES = 8;
const MOST_TILES = 600;
const MOST_CHUNKS = 24;

export function samplesPerPeak(level: number): number {
  return BASE * FACTOR ** level;
}

/** The coarsest level that still has a peak or more for each pixel. */
export function levelFor(samplesPerPixel: number): number {
  let level = 0;
  while (level + 1 < LEVELS && samplesPerPeak(level + 1) <= samplesPerPixel) level++;
  return level;
}

type Listener = () => void;

class Cache<T> {
  private held = new Map<string, T>();
  private coming = new Set<string>();
  private failed = new Map<string, number>();

  constructor(private most: number) {}

  /** What is under a key, or undefined while it is fetched; `done` is called when it has come. */
  get(key: string, load: () => Promise<T>, done: Listener): T | undefined {
    const there = this.held.get(key);
    if (there !== undefined) {
      this.held.delete(key);
      this.held.set(key, there);
      return there;
    }
    if (!this.coming.has(key) && (this.failed.get(key) ?? 0) < performance.now()) {
      this.coming.add(key);
      load()
        .then((value) => {
          this.held.set(key, value);
          if (this.held.size > this.most) this.held.delete(this.held.keys().next().value as string);
          done();
        })
        .catch(() => {
          this.failed.set(key, performance.now() + 2000);
          window.setTimeout(done, 2100);
        })
        .finally(() => this.coming.delete(key));
    }
    return undefined;
  }
}

const tiles = new Cache<DataView>(MOST_TILES);
const chunks = new Cache<[Float32Array, Float32Array]>(MOST_CHUNKS);
const listeners = new Set<Listener>();

/** Be called when a picture that was missing has come. */
export function onPicture(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

function tell(): void {
  for (const listener of listeners) listener();
}

export interface Columns {
  min: Float32Array;
  max: Float32Array;
  low: Uint8Array;
  mid: Uint8Array;
  high: Uint8Array;
  /** Whether anything is still on its way. */
  missing: boolean;
}

function emptyColumns(count: number): Columns {
  return {
    min: new Float32Array(count),
    max: new Float32Array(count),
    low: new Uint8Array(count),
    mid: new Uint8Array(count),
    high: new Uint8Array(count),
    missing: false,
  };
}

async function loadTile(hash: string, level: number, tile: number): Promise<DataView> {
  const response = await fetch(`/api/audio/${hash}/peaks/${level}/${tile}`);
  if (!response.ok) throw new Error("no peaks");
  return new DataView(await response.arrayBuffer());
}

/** One column a pixel: extremes and band levels of the samples from `start`, `perPixel` of them each. */
export function columns(hash: string, frames: number, start: number, perPixel: number, count: number): Columns {
  const out = emptyColumns(count);
  const level = levelFor(perPixel);
  const per = samplesPerPeak(level);
  const total = Math.ceil(frames / per);
  let tileNumber = -1;
  let view: DataView | undefined;
  for (let x = 0; x < count; x++) {
    const first = Math.max(0, Math.floor((start + x * perPixel) / per));
    const last = Math.min(total, Math.max(first + 1, Math.floor((start + (x + 1) * perPixel) / per)));
    if (first >= total || start + (x + 1) * perPixel < 0) continue;
    let min = 32767;
    let max = -32768;
    for (let i = first; i < last; i++) {
      const tile = Math.floor(i / TILE);
      if (tile !== tileNumber) {
        tileNumber = tile;
        view = tiles.get(`${hash}/${level}/${tile}`, () => loadTile(hash, level, tile), tell);
      }
      if (!view) {
        out.missing = true;
        min = max = 0;
        continue;
      }
      const at = (i % TILE) * PEAK_BYTES;
      min = Math.min(min, view.getInt16(at, true));
      max = Math.max(max, view.getInt16(at + 2, true));
      out.low[x] = Math.max(out.low[x] as number, view.getUint8(at + 4));
      out.mid[x] = Math.max(out.mid[x] as number, view.getUint8(at + 5));
      out.high[x] = Math.max(out.high[x] as number, view.getUint8(at + 6));
    }
    out.min[x] = min / 32767;
    out.max[x] = max / 32767;
  }
  return out;
}

/** The sample at a position, of the mean of both sides; undefined while it is fetched. */
export function sampleReader(hash: string): (at: number) => number | undefined {
  let number = -1;
  let chunk: [Float32Array, Float32Array] | undefined;
  return (at) => {
    const wanted = Math.floor(at / CHUNK);
    if (wanted !== number) {
      number = wanted;
      chunk = chunks.get(`${hash}/${wanted}`, () => pcm(`/api/audio/${hash}/pcm/${wanted}`), tell);
    }
    const left = chunk?.[0][at % CHUNK];
    const right = chunk?.[1][at % CHUNK];
    return left === undefined || right === undefined ? undefined : (left + right) / 2;
  };
}

const loudest = new Map<string, number>();

/** The largest sample of a source, 0 to 1, from its coarsest picture; 1 while that is fetched. */
export function sourcePeak(hash: string, frames: number): number {
  const known = loudest.get(hash);
  if (known !== undefined) return known;
  const per = samplesPerPeak(LEVELS - 1);
  const count = Math.ceil(frames / per);
  const cols = columns(hash, frames, 0, per, count);
  if (cols.missing) return 1;
  let peak = 0.001;
  for (let i = 0; i < count; i++) peak = Math.max(peak, cols.max[i] as number, -(cols.min[i] as number));
  loudest.set(hash, peak);
  return peak;
}
