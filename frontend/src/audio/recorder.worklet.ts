/** Hands on what comes in, block by block, as interleaved stereo, with its peak. */
const FRAMES = 8192;
const QUANTUM = 128;

class RecorderProcessor extends AudioWorkletProcessor {
  private block = new Float32Array(FRAMES * 2);
  private at = 0;
  private peak = 0;
  private over = false;

  constructor() {
    super();
    // "rest": what has come since the last whole block. "end": never again; else it would go on with silence beside the next one.
    this.port.onmessage = ({ data }: MessageEvent<"rest" | "end">) => {
      if (data === "end") this.over = true;
      else this.send(true);
    };
  }

  private send(last: boolean): void {
    const samples = this.block.slice(0, this.at * 2);
    this.port.postMessage({ samples, peak: this.peak, last }, [samples.buffer]);
    this.at = 0;
    this.peak = 0;
  }

  process(inputs: Float32Array[][]): boolean {
    const input = inputs[0];
    const left = input?.[0];
    const right = input?.[1] ?? left;
    // Where nothing plays there is no channel at all: that is silence, and time goes on.
    for (let i = 0; i < (left?.length ?? QUANTUM); i++) {
      const l = left?.[i] ?? 0;
      const r = right?.[i] ?? 0;
      this.block[this.at * 2] = l;
      this.block[this.at * 2 + 1] = r;
      this.peak = Math.max(this.peak, Math.abs(l), Math.abs(r));
      if (++this.at === FRAMES) this.send(false);
    }
    return !this.over;
  }
}

registerProcessor("grain-recorder", RecorderProcessor);
