/** Plays a source of any length from chunks that are handed in as it goes; a loop joins without a click. */
import { CHUNK, JOIN, type TapeMessage, type TapeReport } from "./tapeMessages";

const FADE = 128;
/** Starting in the middle of a sound must not click, starting on an attack must not dull it. */
const RISE = 32;
const REPORT = 1024;

class TapeProcessor extends AudioWorkletProcessor {
  private chunks = new Map<number, [Float32Array, Float32Array]>();
  private place = 0;
  private end = 0;
  private loopStart = -1;
  private loopEnd = -1;
  private playing = false;
  private run = 0;
  private rising = 0;
  private falling = 0;
  private sinceReport = REPORT;
  private clicks: Float64Array | null = null;
  private accents: Uint8Array = new Uint8Array(0);
  private clickLevel = 1;
  private clickSounds: [Float32Array, Float32Array] | null = null;
  private click: Float32Array | null = null;
  private clickAt = 0;

  constructor() {
    super();
    this.port.onmessage = (event: MessageEvent<TapeMessage>) => this.take(event.data);
  }

  private take(message: TapeMessage): void {
    if (message.type === "chunk") this.chunks.set(message.number, [message.left, message.right]);
    else if (message.type === "drop") for (const number of message.numbers) this.chunks.delete(number);
    else if (message.type === "clicks") {
      this.clicks = message.places;
      this.accents = message.accents;
      this.clickLevel = message.level;
    } else if (message.type === "clickSounds") this.clickSounds = [message.beat, message.accent];
    else if (message.type === "clear") {
      this.chunks.clear();
      this.playing = false;
    } else if (message.type === "play") {
      this.run = message.run;
      this.place = message.place;
      this.end = message.end;
      this.loopStart = message.loopStart;
      this.loopEnd = message.loopEnd;
      this.playing = true;
      this.rising = RISE;
      this.falling = 0;
      this.ghostLeft = 0;
      this.sinceReport = REPORT;
    } else if (message.type === "loop") {
      this.loopStart = message.loopStart;
      this.loopEnd = message.loopEnd;
      // An end that was moved to before the place that sounds: go on where the new loop would be by now, without a click.
      const length = this.loopEnd - this.loopStart;
      if (this.playing && length > 0 && this.place >= this.loopEnd) {
        this.ghost = this.place;
        this.ghostLeft = JOIN;
        this.place = this.loopStart + ((this.place - this.loopStart) % length);
      }
    } else if (this.playing) this.falling = FADE;
  }

  /** Index of the first click at or after a place. */
  private nextClick(place: number): number {
    const clicks = this.clicks as Float64Array;
    let low = 0;
    let high = clicks.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((clicks[middle] as number) < place) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  private both: [number, number] = [0, 0];
  /** What sounded before a jump, and how much longer it fades out. */
  private ghost = 0;
  private ghostLeft = 0;

  /** Let what sounded before a jump go out under what sounds now. */
  private fadeGhost(): void {
    const share = this.ghostLeft / (JOIN + 1);
    const chunk = this.chunks.get(Math.floor(this.ghost / CHUNK));
    const at = this.ghost % CHUNK;
    for (const side of [0, 1] as const)
      this.both[side] = this.both[side] * (1 - share) + (chunk?.[side][at] ?? 0) * share;
    this.ghost++;
    this.ghostLeft--;
  }

  /** What sounds at a place. Just before a loop's end the record comes in that leads up to its start: nothing clicks. */
  private join(chunk: [Float32Array, Float32Array], at: number): void {
    this.both[0] = chunk[0][at] ?? 0;
    this.both[1] = chunk[1][at] ?? 0;
    const left = this.loopEnd - this.place;
    if (left > JOIN || left <= 0 || this.loopStart < left || this.loopEnd <= this.loopStart) return;
    const place = this.loopStart - left;
    const other = this.chunks.get(Math.floor(place / CHUNK));
    if (!other) return;
    const share = 1 - left / (JOIN + 1);
    for (const side of [0, 1] as const)
      this.both[side] = this.both[side] * (1 - share) + (other[side][place % CHUNK] ?? 0) * share;
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const left = outputs[0]?.[0];
    const right = outputs[0]?.[1];
    if (!left || !right || !this.playing) return true;
    let next = this.clicks ? this.nextClick(this.place) : -1;
    for (let i = 0; i < left.length; i++) {
      const chunk = this.chunks.get(Math.floor(this.place / CHUNK));
      // A chunk that is not here yet: wait for it rather than skip what it holds.
      if (!chunk) break;
      let g = 1;
      if (this.rising > 0) g = 1 - this.rising-- / RISE;
      if (this.falling > 0) {
        g *= this.falling / FADE;
        if (--this.falling === 0) this.playing = false;
      }
      const at = this.place % CHUNK;
      let extra = 0;
      if (this.clicks && this.clickSounds) {
        if (this.clicks[next] === this.place) {
          this.click = this.clickSounds[this.accents[next] ? 1 : 0];
          this.clickAt = 0;
          next++;
        }
        if (this.click) {
          extra = (this.click[this.clickAt++] ?? 0) * this.clickLevel;
          if (this.clickAt >= this.click.length) this.click = null;
        }
      }
      this.join(chunk, at);
      if (this.ghostLeft > 0) this.fadeGhost();
      const [ours, theirs] = this.both;
      left[i] = (ours + extra) * g;
      right[i] = (theirs + extra) * g;
      this.place++;
      if (this.place === this.loopEnd && this.loopEnd > this.loopStart) {
        this.place = this.loopStart;
        if (this.clicks) next = this.nextClick(this.place);
      }
      if (this.place >= this.end) this.playing = false;
      if (!this.playing) break;
    }
    this.sinceReport += left.length;
    if (this.sinceReport >= REPORT || !this.playing) {
      this.sinceReport = 0;
      const { run, place, playing } = this;
      const report: TapeReport = { run, place, frame: currentFrame + left.length, playing };
      this.port.postMessage(report);
    }
    return true;
  }
}

registerProcessor("grain-tape", TapeProcessor);
