/** A line of the song: up to eight bars, its patterns as strips, the thread that lies over it, and the playhead. */
import { useRef, useState } from "react";

import type { Pattern, Pocket, Section, Thread } from "../../api/types";
import { songBeat } from "../../app/playing";
import { useView } from "../../app/view";
import { useSong } from "../../audio/song";
import { Playhead } from "../../design/Playhead";
import { CARD, INK, INK2, RULE } from "../../design/roles";
import { fixed, position } from "../../design/format";
import { prepare } from "../../wave/draw";
import { usePaint, useWidth } from "../../wave/useCanvas";
import type { Control } from "./controls";
import { paintName, paintStrip, STRIP } from "./strips";
import { across, type Line, paintThread, THREAD } from "./thread";
import { useThreadHand } from "./useThreadHand";

export const HEAD = 17;

interface Props {
  pocket: Pocket;
  section: Section;
  patterns: Pattern[];
  /** Beats of the song: where the section begins this time, and where the line begins and ends. */
  at: number;
  first: number;
  last: number;
  /** Beats that a full line is wide. */
  whole: number;
  control: Control | null;
  thread: Thread | null;
}

export function SongLine({ pocket, section, patterns, at, first, last, whole, control, thread }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = useWidth(box);
  const playing = useSong((s) => s.playing);
  const start = useView((s) => s.songBeat);
  const [chosen, setChosen] = useState<number | null>(null);
  const height = HEAD + patterns.length * STRIP + (control ? THREAD : 6);
  const perBeat = width / whole;
  const points = thread?.points ?? [];
  const line: Line = { first, last, perBeat, top: HEAD + patterns.length * STRIP };
  const x = (beat: number) => across(line, beat);

  usePaint(() => {
    if (!canvas.current || !width) return;
    const c = prepare(canvas.current, width, height);
    c.clearRect(0, 0, width, height);
    const end = x(last);
    c.fillStyle = CARD;
    c.fillRect(0, 0, end, height);
    patterns.forEach((pattern, i) =>
      paintStrip(c, pocket, section, pattern, HEAD + i * STRIP, { at, first, last, perBeat }),
    );
    c.font = '500 11px "Atkinson Hyperlegible Next Variable"';
    for (let beat = first; beat <= last; beat += section.beats_per_bar) {
      c.fillStyle = RULE;
      c.fillRect(Math.min(end - 1, Math.round(x(beat))), 0, 1, height);
      c.fillStyle = INK2;
      if (beat < last) c.fillText(String(Math.round(beat / section.beats_per_bar) + 1), x(beat) + 4, 12);
    }
    patterns.forEach((pattern, i) => paintName(c, pattern.name, HEAD + i * STRIP));
    if (control) paintThread(c, line, control, points, chosen);
    if (start >= first && start < last) {
      c.fillStyle = INK;
      c.beginPath();
      c.moveTo(x(start), 0);
      c.lineTo(x(start) + 7, 0);
      c.lineTo(x(start), 8);
      c.fill();
    }
  });
  const head = () => {
    const now = songBeat();
    return now >= first && now < last ? x(now) : null;
  };

  const hand = useThreadHand({ section, line, box, control, points, chosen, setChosen });

  const told = chosen !== null ? points[chosen] : undefined;
  const bar = Math.round(first / section.beats_per_bar) + 1;
  return (
    <div
      ref={box}
      role="application"
      tabIndex={0}
      data-own-arrows
      data-line={first}
      aria-label={`${section.name} from bar ${bar}. Click a bar to play from there${control ? `; click the thread to set a point of ${control.label}, arrows choose and move points, Enter adds one, Delete removes` : ""}.`}
      className="relative touch-none"
      style={{ height }}
      {...hand}
    >
      <canvas ref={canvas} style={{ width: width || "100%", height }} className="block" />
      <Playhead moving={playing} at={head} />
      <span className="sr-only" aria-live="polite">
        {told && control
          ? `${position(told.beat, section.beats_per_bar)}: ${fixed(told.value, control.parameter.digits)} ${control.parameter.unit}`
          : ""}
      </span>
    </div>
  );
}
