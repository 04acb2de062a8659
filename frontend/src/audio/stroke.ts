/** One buffer that sounds, until its end or a fade. */
import { audio, output, straight } from "./engine";

/** Over which one rendering of a sound gives way to another. */
const SWAP_FRAMES = 512;

export interface StrokeOf {
  /** The number under which it is let go: a pad's, or that of a note across the keys. */
  slot: number;
  pad: number;
  choke: number;
  /** Ends when it is let go; a one-shot rings on. */
  held: boolean;
  /** 0..1 */
  level: number;
  /** To the end, with the master in it. */
  rendered: boolean;
}

export class Stroke {
  readonly source = audio().createBufferSource();
  ended = false;
  private readonly gain = audio().createGain();

  /** The context's time at which its first sample sounded, or would have. */
  readonly began: number;

  /** over: called once, when nothing of it sounds any more. since: it takes over from another that began then. */
  constructor(
    readonly buffer: AudioBuffer,
    readonly of: StrokeOf,
    over: (stroke: Stroke) => void,
    since: number | null = null,
  ) {
    this.source.buffer = buffer;
    this.source.connect(this.gain).connect(of.rendered ? straight() : output());
    const now = audio().currentTime;
    this.began = since ?? now;
    if (since === null) {
      this.gain.gain.value = of.level;
      this.source.start();
    } else {
      this.gain.gain.setValueAtTime(0, now);
      this.gain.gain.linearRampToValueAtTime(of.level, now + SWAP_FRAMES / audio().sampleRate);
      this.source.start(now, now - since);
    }
    this.source.onended = () => {
      this.gain.disconnect();
      over(this);
    };
  }

  fade(frames: number): void {
    if (this.ended) return;
    this.ended = true;
    const now = audio().currentTime;
    const end = now + frames / audio().sampleRate;
    this.gain.gain.setValueAtTime(this.gain.gain.value, now);
    this.gain.gain.linearRampToValueAtTime(0, end);
    this.source.stop(end);
  }

  /** Give way to another rendering of the same sound, which goes on from the same place; null where that is over by now. */
  givesWay(buffer: AudioBuffer, rendered: boolean, over: (stroke: Stroke) => void): Stroke | null {
    this.fade(SWAP_FRAMES);
    if (audio().currentTime - this.began >= buffer.duration) return null;
    return new Stroke(buffer, { ...this.of, rendered }, over, this.began);
  }
}
