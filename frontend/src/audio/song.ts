/**
 * The song: only what lies round the playhead is here. The player asks for what comes, and for the window anew after an edit.
 */
import { create } from "zustand";

import type { SongWindow } from "../api/types";
import { mark, RATE } from "./engine";
import { fetchGroup, Line, type Segment, type Stereo } from "./line";

/** Samples that are here before and after the playhead, and how near the end of what is here more is asked for. */
const BEHIND = 2 * RATE;
const AHEAD = 20 * RATE;
const LOW = 12 * RATE;
const WATCH_MS = 500;
const GROUPS = [1, 2, 4, 8];

export type Ask = (first: number, last: number) => Promise<SongWindow>;

export const useSong = create<{ playing: boolean; coming: boolean; length: number; tempo: number }>(() => ({
  playing: false,
  coming: false,
  length: 0,
  tempo: 0,
}));

class SongPlayer {
  private line = new Line((playing) => this.onPlaying(playing));
  private ask: Ask | null = null;
  /** Where each segment that is here comes from. */
  private here = new Map<number, Segment>();
  private until = 0;
  private end = 0;
  private ticket = 0;
  private timer = 0;
  private filling: Promise<void> | null = null;
  private samples = new Map<number, Stereo>();
  /** For tests: keep what was scheduled. */
  keeps = false;

  private onPlaying(playing: boolean): void {
    useSong.setState({ playing });
    if (!playing) window.clearInterval(this.timer);
  }

  /** Play from a sample on. */
  async play(place: number, ask: Ask): Promise<void> {
    const ticket = ++this.ticket;
    this.line.stop();
    this.ask = ask;
    this.here.clear();
    this.samples.clear();
    this.until = place;
    useSong.setState({ coming: true });
    mark("song asked");
    let begun = false;
    const first = () => {
      if (begun || ticket !== this.ticket) return;
      begun = true;
      this.line.start(place);
      mark("song start");
      useSong.setState({ coming: false });
      this.timer = window.setInterval(() => this.keepUp(), WATCH_MS);
    };
    try {
      await this.fill(ticket, place, place + AHEAD, true, first);
    } finally {
      if (ticket === this.ticket) useSong.setState({ coming: false });
    }
  }

  stop(): void {
    this.ticket++;
    window.clearInterval(this.timer);
    this.line.stop();
    useSong.setState({ coming: false });
  }

  /** After an edit: what is to come is asked for anew. */
  async changed(): Promise<void> {
    if (!useSong.getState().playing || !this.ask) return;
    const ticket = ++this.ticket;
    const place = Math.max(0, Math.round(this.place()));
    const old = this.here;
    this.here = new Map([...old].filter(([start, { frames }]) => start + frames <= place));
    this.until = place;
    await this.fill(ticket, place, place + AHEAD, false, () => mark("song heard"), old);
  }

  private keepUp(): void {
    const place = this.place();
    if (this.filling || this.until >= this.end || place + LOW < this.until) return;
    void this.fill(this.ticket, this.until, place + AHEAD, false, () => undefined).catch(() => undefined);
    this.line.post({ type: "drop", before: place - BEHIND, after: place + 2 * AHEAD });
    for (const start of this.here.keys()) if (start < place - BEHIND) this.here.delete(start);
  }

  private fill(
    ticket: number,
    first: number,
    last: number,
    fresh: boolean,
    onFirst: () => void,
    old: Map<number, Segment> = new Map(),
  ): Promise<void> {
    const work = this.filled(ticket, first, Math.round(last), fresh, onFirst, old).finally(() => {
      if (this.filling === work) this.filling = null;
    });
    this.filling = work;
    return work;
  }

  private async filled(
    ticket: number,
    first: number,
    last: number,
    fresh: boolean,
    onFirst: () => void,
    old: Map<number, Segment>,
  ): Promise<void> {
    const window_ = await (this.ask as Ask)(Math.max(0, Math.floor(first)), last);
    if (ticket !== this.ticket) return;
    this.end = window_.end;
    const before = useSong.getState();
    const scale = before.tempo && !fresh ? before.tempo / window_.tempo : 1;
    if (fresh || scale !== 1 || before.length !== window_.end)
      this.line.post({ type: "song", length: window_.end, scale, fresh: fresh || scale !== 1 });
    useSong.setState({ length: window_.end, tempo: window_.tempo });
    const missing = window_.segments.filter(
      ({ key, start }) => this.here.get(start)?.key !== key && old.get(start)?.key !== key,
    );
    for (const segment of window_.segments) if (!missing.includes(segment)) this.here.set(segment.start, segment);
    let at = 0;
    for (let group = 0; at < missing.length; group++) {
      const mine = missing.slice(at, at + (GROUPS[Math.min(group, GROUPS.length - 1)] as number));
      const sounds = new Map<string, Stereo>();
      await fetchGroup(mine, (key, sound) => sounds.set(key, sound));
      if (ticket !== this.ticket) return;
      const patches = mine.map(({ key, start }) => {
        const [left, right] = sounds.get(key) as Stereo;
        return { start, left, right };
      });
      this.line.post({ type: "patch", patches });
      for (const segment of mine) {
        this.here.set(segment.start, segment);
        if (this.keeps) this.samples.set(segment.start, sounds.get(segment.key) as Stereo);
        this.until = Math.max(this.until, segment.start + segment.frames);
      }
      if (group === 0) onFirst();
      at += mine.length;
    }
    const lastOne = window_.segments.at(-1);
    if (lastOne) this.until = Math.max(this.until, lastOne.start + lastOne.frames);
    if (!missing.length) onFirst();
  }

  /** The sample of the song that is heard now. */
  place(): number {
    return useSong.getState().playing ? Math.max(0, this.line.place()) : 0;
  }

  /** Bytes of sound that are held, at most. */
  held(): number {
    return [...this.here.values()].reduce((sum, { frames }) => sum + 8 * frames, 0);
  }

  /** The very samples that were scheduled, by where they begin; for tests. */
  scheduled(): [number, Stereo][] {
    return [...this.samples].sort(([a], [b]) => a - b);
  }
}

export const songPlayer = new SongPlayer();
