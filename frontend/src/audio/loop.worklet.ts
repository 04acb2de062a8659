/**
 * Plays a loop without a seam, or a song to its end, and takes changes while it plays: what changed under the playhead is
 * crossfaded over a few milliseconds, everything else is simply there the next time round.
 *
 * Sound is held in pages. Of a song only those round the playhead are here: where none is, there is silence.
 */
import type { LoopMessage, LoopReport } from "./loopMessages";

const FADE = 256;
const REPORT = 1024;
const BITS = 15;
const PAGE = 1 << BITS;
type Page = [Float32Array, Float32Array];

class LoopProcessor extends AudioWorkletProcessor {
  private pages = new Map<number, Page>();
  private length = 0;
  private loops = true;
  private place = 0;
  private playing = false;
  private run = 0;
  private stopping = 0;
  /** What would have been heard next, had nothing changed. */
  private oldLeft = new Float32Array(FADE);
  private oldRight = new Float32Array(FADE);
  private fading = 0;
  private sinceReport = REPORT;
  private part: [number, number] = [0, 0];
  private next: { left: Float32Array; right: Float32Array; every: number } | null = null;
  private begun = false;

  constructor() {
    super();
    this.port.onmessage = (event: MessageEvent<LoopMessage>) => this.take(event.data);
  }

  private take(message: LoopMessage): void {
    if (message.type === "load") {
      this.keepOld();
      this.resize(message.left.length, true, message.scale);
      this.pages.clear();
      this.lay(0, message.left, message.right);
    } else if (message.type === "song") {
      this.keepOld();
      if (message.fresh) this.pages.clear();
      this.resize(message.length, false, message.scale);
    } else if (message.type === "patch") {
      this.keepOld();
      for (const { start, left, right } of message.patches) this.lay(start, left, right);
    } else if (message.type === "queue") {
      this.next = message.left.length ? message : null;
    } else if (message.type === "part") {
      this.keepOld();
      this.part = [message.from, message.to];
      if (message.to && (this.place < message.from || this.place >= message.to)) this.place = message.from;
    } else if (message.type === "drop") {
      for (const page of this.pages.keys())
        if ((page + 1) * PAGE <= message.before || page * PAGE >= message.after) this.pages.delete(page);
    } else if (message.type === "start") {
      this.run = message.run;
      this.place = message.place;
      this.playing = this.length > 0;
      this.stopping = this.fading = 0;
      this.sinceReport = REPORT;
    } else if (this.playing) {
      this.stopping = FADE;
    }
  }

  /** What was queued begins, over the end of what was heard. */
  private takeNext(): void {
    const next = this.next;
    if (!next) return;
    this.keepOld();
    this.next = null;
    this.pages.clear();
    this.part = [0, 0];
    this.length = next.left.length;
    this.place = 0;
    this.lay(0, next.left, next.right);
    this.begun = true;
  }

  private resize(length: number, loops: boolean, scale: number): void {
    const place = Math.round(this.place * scale);
    this.place = length ? (loops ? place % length : Math.min(place, length)) : 0;
    this.length = length;
    this.loops = loops;
  }

  private lay(start: number, left: Float32Array, right: Float32Array): void {
    for (let done = 0; done < left.length;) {
      const at = start + done;
      const inside = at & (PAGE - 1);
      const count = Math.min(PAGE - inside, left.length - done);
      let page = this.pages.get(at >> BITS);
      if (!page) this.pages.set(at >> BITS, (page = [new Float32Array(PAGE), new Float32Array(PAGE)]));
      page[0].set(left.subarray(done, done + count), inside);
      page[1].set(right.subarray(done, done + count), inside);
      done += count;
    }
  }

  private read(at: number, side: 0 | 1): number {
    const page = this.pages.get(at >> BITS);
    return page ? (page[side][at & (PAGE - 1)] as number) : 0;
  }

  private keepOld(): void {
    if (!this.playing || !this.length) return;
    for (let i = 0; i < FADE; i++) {
      const after = this.place + i;
      const at = this.loops ? after % this.length : after;
      // A change during a fade goes on from what is heard in the middle of it.
      const g = this.fading > i ? (this.fading - i) / FADE : 0;
      const k = FADE - this.fading + i;
      const l = this.read(at, 0);
      const r = this.read(at, 1);
      this.oldLeft[i] = g ? l + ((this.oldLeft[k] as number) - l) * g : l;
      this.oldRight[i] = g ? r + ((this.oldRight[k] as number) - r) * g : r;
    }
    this.fading = FADE;
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const left = outputs[0]?.[0];
    const right = outputs[0]?.[1];
    if (!left || !right || !this.playing || !this.length) return true;
    let number = -1;
    let page: Page | undefined;
    for (let i = 0; i < left.length; i++) {
      if (this.place >> BITS !== number) {
        number = this.place >> BITS;
        page = this.pages.get(number);
      }
      const inside = this.place & (PAGE - 1);
      let l = page ? (page[0][inside] as number) : 0;
      let r = page ? (page[1][inside] as number) : 0;
      if (this.fading > 0) {
        const k = FADE - this.fading;
        const g = this.fading / FADE;
        l += ((this.oldLeft[k] as number) - l) * g;
        r += ((this.oldRight[k] as number) - r) * g;
        this.fading--;
      }
      if (this.stopping > 0) {
        l *= this.stopping / FADE;
        r *= this.stopping / FADE;
        if (--this.stopping === 0) this.playing = false;
      }
      left[i] = this.playing ? l : 0;
      right[i] = this.playing ? r : 0;
      const after = ++this.place;
      if (this.next && (this.place >= this.length || this.place % this.next.every < 1)) this.takeNext();
      else if (this.part[1] && this.place === Math.min(this.part[1], this.length)) {
        // Out of the middle of what sounds: crossfaded, as every jump is.
        if (this.part[1] < this.length || this.part[0] > 0) this.keepOld();
        this.place = this.part[0];
      } else if (this.place >= this.length) {
        if (this.loops) this.place = 0;
        else this.playing = false;
      }
      // Wherever it jumped to, the page is another one.
      if (this.place !== after) number = -1;
    }
    this.sinceReport += left.length;
    if (this.sinceReport >= REPORT || !this.playing || this.begun) {
      this.sinceReport = 0;
      const report: LoopReport = {
        run: this.run,
        place: this.place,
        frame: currentFrame + left.length,
        playing: this.playing,
        begun: this.begun,
      };
      this.begun = false;
      this.port.postMessage(report);
    }
    return true;
  }
}

registerProcessor("grain-loop", LoopProcessor);
