/** The audio clock and what stands between every player and the ear: the master level and its meter. */

let context: AudioContext | null = null;
let master: GainNode | null = null;
let ear: GainNode | null = null;
const meters: AnalyserNode[] = [];

export const RATE = 44100;
const METERED = 4096;

/** Marks for tests and benchmarks: what happened when, in performance.now() milliseconds. */
export const timings: { what: string; at: number }[] = [];

export function mark(what: string): void {
  timings.push({ what, at: performance.now() });
  if (timings.length > 2000) timings.splice(0, 1000);
}

export function audio(): AudioContext {
  if (!context) {
    context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
    // The core has put the master's level into what it renders; what is played by hand gets it here.
    ear = context.createGain();
    ear.connect(context.destination);
    master = context.createGain();
    master.connect(ear);
    const split = context.createChannelSplitter(2);
    ear.connect(split);
    for (let side = 0; side < 2; side++) {
      const meter = context.createAnalyser();
      meter.fftSize = METERED;
      split.connect(meter, side);
      meters.push(meter);
    }
  }
  return context;
}

/** How far a buffer may be ahead, and by how much a quartz clock may differ from another. */
const MOST_AHEAD_S = 0.06;
const DRIFT = 1e-3;
let ahead = Number.NEGATIVE_INFINITY;
let looked = 0;

/**
 * The audio clock between its steps, in seconds. The context's own time goes on by whole buffers, 3 to 20 ms at once: what is
 * played by hand would be written down that far off. Right after a step the two clocks differ most, and that is what holds
 * until the next; where sound stands still, so does this.
 */
export function clock(): number {
  const context = audio();
  const time = context.currentTime;
  if (context.state !== "running") return time;
  const now = performance.now() / 1000;
  const off = time - now;
  ahead = Math.max(off, ahead - DRIFT * (now - looked));
  if (ahead - off > MOST_AHEAD_S) ahead = off;
  looked = now;
  return now + ahead;
}

/** For what is played by hand: pads, slices and finds, at the master's level. */
export function output(): GainNode {
  audio();
  return master as GainNode;
}

/** For what the core has rendered to the end: heard as it is. */
export function straight(): GainNode {
  audio();
  return ear as GainNode;
}

/** Browsers start sound only after a gesture: call this from one. */
export function wake(): void {
  if (audio().state === "suspended") void audio().resume();
}

export function setLevel(db: number): void {
  output().gain.value = Math.fround(10 ** (db / 20));
}

const buffer = new Float32Array(METERED);

/** Largest sample of the last 93 ms on each side: twice as long as it is between two looks. */
export function peaks(): [number, number] {
  const out: [number, number] = [0, 0];
  meters.forEach((meter, side) => {
    meter.getFloatTimeDomainData(buffer);
    let peak = 0;
    for (const x of buffer) peak = Math.max(peak, Math.abs(x));
    out[side] = peak;
  });
  return out;
}

const loaded = new Map<string, Promise<void>>();

/** A worklet module, loaded once. */
export function worklet(url: string): Promise<void> {
  let ready = loaded.get(url);
  if (!ready) {
    ready = audio().audioWorklet.addModule(url);
    loaded.set(url, ready);
  }
  return ready;
}
