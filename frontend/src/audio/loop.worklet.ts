/**
 * Plays one loop without a seam and takes changes while it plays: what changed under the playhead is crossfaded over a few
 * milliseconds, everything else is simply there the next time round.
 */
import type { LoopMessage, LoopReport } from "./loopMessages";

const FADE = 256;
const REPORT = 1024;

class LoopProcessor extends AudioWorkletProcessor {
  private left = new Float32Array(0);
  private right = new Float32Array(0);
  private place = 0;
  private playing = false;
  private stopping = 0;
  /** What would have been heard next, had nothing changed. */
  private oldLeft = new Float32Array(FADE);
  private oldRight = new Float32Array(FADE);
  private fading = 0;
  private sinceReport = REPORT;

  constructor() {
    super();
    this.port.onmessage = (event: MessageEvent<LoopMessage>) => this.take(event.data);
  }

  private take(message: LoopMessage): void {
    if (message.type === "load") {
      this.keepOld();
      const length = message.left.length;
      this.place = length ? Math.round(this.place * message.scale) % length : 0;
      this.left = message.left;
      this.right = message.right;
    } else if (message.type === "patch") {
      this.keepOld();
      for (const { start, left, right } of message.patches) {
        this.left.set(left, start);
        this.right.set(right, start);
      }
    } else if (message.type === "start") {
      this.place = message.place;
      this.playing = this.left.length > 0;
      this.stopping = this.fading = 0;
      this.sinceReport = REPORT;
    } else if (this.playing) {
      this.stopping = FADE;
    }
  }

  private keepOld(): void {
    if (!this.playing || !this.left.length) return;
    const length = this.left.length;
    for (let i = 0; i < FADE; i++) {
      const at = (this.place + i) % length;
      // A change during a fade goes on from what is heard in the middle of it.
      const g = this.fading > i ? (this.fading - i) / FADE : 0;
      const k = FADE - this.fading + i;
      const l = this.left[at] as number;
      const r = this.right[at] as number;
      this.oldLeft[i] = g ? l + ((this.oldLeft[k] as number) - l) * g : l;
      this.oldRight[i] = g ? r + ((this.oldRight[k] as number) - r) * g : r;
    }
    this.fading = FADE;
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const left = outputs[0]?.[0];
    const right = outputs[0]?.[1];
    if (!left || !right || !this.playing || !this.left.length) return true;
    const length = this.left.length;
    for (let i = 0; i < left.length; i++) {
      let l = this.left[this.place] as number;
      let r = this.right[this.place] as number;
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
      if (++this.place >= length) this.place = 0;
    }
    this.sinceReport += left.length;
    if (this.sinceReport >= REPORT || !this.playing) {
      this.sinceReport = 0;
      const report: LoopReport = { place: this.place, frame: currentFrame + left.length, playing: this.playing };
      this.port.postMessage(report);
    }
    return true;
  }
}

registerProcessor("grain-loop", LoopProcessor);
