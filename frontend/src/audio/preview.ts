/** A stretch of a find as the server makes it sound: fitted to the pocket, or cleaned; round and round. */
import { create } from "zustand";

import { pcm } from "../api/client";
import { audio, clock, mark, output, wake } from "./engine";

interface Preview {
  /** What is heard or on its way: the source's audio and the stretch of it. */
  hash: string;
  start: number;
  end: number;
  /** The address it came from, which says what was done to it. */
  url: string;
  coming: boolean;
}

export const usePreview = create<{ preview: Preview | null }>(() => ({ preview: null }));
const EDGE = 96;
/** A minute of stereo is 21 MB. */
const KEPT = 5;

class PreviewPlayer {
  private source: AudioBufferSourceNode | null = null;
  private gain: GainNode | null = null;
  private buffers = new Map<string, AudioBuffer>();
  private startedAt = 0;

  /** Something is on its way, though from where is not known yet: what is here from now on is stopped like what sounds. */
  expect(hash: string, start: number, end: number): Preview {
    const now = usePreview.getState().preview;
    if (now) return now;
    const preview = { hash, start, end, url: "", coming: true };
    usePreview.setState({ preview });
    return preview;
  }

  /** Play it; when it plays already with something else done to it, the new one takes over at the same place. */
  async play(hash: string, start: number, end: number, url: string, db: number, loop: boolean): Promise<void> {
    wake();
    const before = usePreview.getState().preview;
    usePreview.setState({ preview: { hash, start, end, url, coming: true } });
    let buffer: AudioBuffer;
    try {
      buffer = await this.fetch(url);
    } catch (error) {
      if (usePreview.getState().preview?.url === url) this.stop();
      throw error;
    }
    if (usePreview.getState().preview?.url !== url) return;
    const same = before && !before.coming && before.hash === hash && before.start === start && before.end === end;
    const share = same ? this.share() : 0;
    this.fade();
    const context = audio();
    const source = context.createBufferSource();
    const gain = context.createGain();
    source.buffer = buffer;
    source.loop = loop;
    gain.gain.value = 10 ** (db / 20);
    source.connect(gain).connect(output());
    source.onended = () => {
      gain.disconnect();
      if (this.source === source) this.stop();
    };
    source.start(0, share * buffer.duration);
    mark("preview start");
    this.startedAt = clock() - share * buffer.duration;
    this.source = source;
    this.gain = gain;
    usePreview.setState({ preview: { hash, start, end, url, coming: false } });
  }

  stop(): void {
    this.fade();
    usePreview.setState({ preview: null });
  }

  private fade(): void {
    if (!this.source || !this.gain) return;
    const now = audio().currentTime;
    this.gain.gain.setTargetAtTime(0, now, 0.004);
    this.source.stop(now + 0.03);
    this.source = null;
  }

  /** How much of the stretch has been heard, 0..1. */
  private share(): number {
    const length = this.source?.buffer?.duration ?? 0;
    if (!length) return 0;
    return ((((clock() - this.startedAt) % length) + length) % length) / length;
  }

  /** The sample of the source that is heard now. */
  place(): number {
    const preview = usePreview.getState().preview;
    return preview ? preview.start + this.share() * (preview.end - preview.start) : 0;
  }

  private async fetch(url: string): Promise<AudioBuffer> {
    const known = this.buffers.get(url);
    if (known) return known;
    const [left, right] = await pcm(url);
    const buffer = audio().createBuffer(2, Math.max(1, left.length), audio().sampleRate);
    [left, right].forEach((channel, i) => {
      // What begins and ends in the middle of a sound would click.
      for (let k = 0; k < Math.min(EDGE, channel.length / 2); k++) {
        channel[k] = ((channel[k] as number) * k) / EDGE;
        channel[channel.length - 1 - k] = ((channel[channel.length - 1 - k] as number) * k) / EDGE;
      }
      buffer.copyToChannel(channel, i);
    });
    if (this.buffers.size >= KEPT) this.buffers.delete(this.buffers.keys().next().value as string);
    this.buffers.set(url, buffer);
    return buffer;
  }
}

export const previewPlayer = new PreviewPlayer();
