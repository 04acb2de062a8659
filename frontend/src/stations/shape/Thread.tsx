/** The envelope as a stitched thread with beads to drag. */
import { useRef } from "react";

import type { FullSound } from "../../api/types";
import { fixed } from "../../design/format";
import { NOW } from "../../design/roles";
import { Handle } from "./Handle";
import { type Change, stepFrom } from "../../app/shaping";
import { type Bead, moved, type Point, sustainLevel, threadOf, touched } from "./thread";

interface Props {
  pad: number;
  sound: FullSound;
  change: Change;
  x: (ms: number) => number;
  width: number;
  height: number;
  endMs: number;
  perPixel: number;
}

const TOP = 16;

export function Thread({ pad, sound, change, x, width, height, endMs, perPixel }: Props) {
  const at = threadOf(sound, endMs);
  const middle = height / 2;
  const y = (level: number) => middle - level * (middle - TOP);
  const grabbed = useRef<{ sound: FullSound; point: Point }>({ sound, point: at.attack });
  const shown = touched(sound);
  const path = (["start", "attack", "hold", "decay", "let", "release"] as const)
    .map((name) => `${x(at[name].ms).toFixed(1)},${y(at[name].level).toFixed(1)}`)
    .join(" ");
  const ms = (value: number) =>
    value >= 1000 ? `${fixed(value / 1000, 2)} s` : `${fixed(value, value < 10 ? 1 : 0)} ms`;
  const beads: { bead: Bead; label: string; value: string; now: number }[] = [
    { bead: "attack", label: "Attack", value: ms(sound.attack), now: sound.attack },
    { bead: "hold", label: "Hold", value: ms(sound.hold), now: sound.hold },
    {
      bead: "decay",
      label: "Decay and sustain",
      value: `${ms(sound.decay)}, ${sound.sustain <= -60 ? "silence" : `${fixed(sound.sustain, 1)} dB`}`,
      now: sound.decay,
    },
    { bead: "release", label: "Release", value: ms(sound.release), now: sound.release },
  ];
  return (
    <>
      <svg className="pointer-events-none absolute inset-0" width={width} height={height} aria-hidden>
        <polyline
          points={path}
          fill="none"
          stroke={NOW}
          strokeWidth={2}
          strokeDasharray="7 4"
          opacity={shown ? 1 : 0.45}
        />
      </svg>
      {beads.map(({ bead, label, value, now }, i) => {
        const point = at[bead];
        // Beads that lie on one another are laid side by side.
        const left = Math.min(width - 9, Math.max(8 + 15 * (bead === "release" ? 0 : i), x(point.ms)));
        return (
          <Handle
            key={bead}
            label={label}
            value={value}
            now={now}
            className="-mt-[7px] -ml-[7px] size-[14px] cursor-grab rounded-full border-[2px] border-now bg-card hover:bg-nowtint focus-visible:bg-nowtint"
            style={{ left, top: Math.min(height - 9, y(bead === "release" ? 0.02 : point.level)) }}
            onGrab={() => (grabbed.current = { sound, point })}
            onDrag={(dx, dy, gesture) => {
              const from = grabbed.current;
              const level = from.point.level - dy / (middle - TOP);
              change(
                moved(
                  from.sound,
                  bead,
                  bead === "release" ? -dx * perPixel : from.point.ms + dx * perPixel,
                  level,
                ) as Record<string, number>,
                gesture,
              );
            }}
            onStep={(across, up, gesture) => {
              const now = stepFrom(pad, sound);
              const level = sustainLevel(now) * 10 ** (up / 20) || (up > 0 ? 0.01 : 0);
              const from = threadOf(now, endMs)[bead].ms;
              change(
                moved(
                  now,
                  bead,
                  bead === "release" ? across * 5 : from + across * 5,
                  bead === "decay" ? level : 1,
                ) as Record<string, number>,
                gesture,
              );
            }}
            onReset={() => change(bead === "decay" ? { decay: null, sustain: null } : { [bead]: null })}
          />
        );
      })}
      {shown && sound.attack > 0 ? (
        <Label x={Math.max(x(at.hold.ms), 24)} y={3} text={`attack ${ms(sound.attack)}`} />
      ) : null}
      {shown && (sound.decay > 0 || sound.sustain < 0) ? (
        <Label
          x={x(at.decay.ms)}
          y={Math.max(3, y(at.decay.level) - 22)}
          text={sound.sustain <= -60 ? `decay ${ms(sound.decay)}` : `sustain ${fixed(sound.sustain, 1)} dB`}
        />
      ) : null}
    </>
  );
}

function Label({ x, y, text }: { x: number; y: number; text: string }) {
  return (
    <span
      className="pointer-events-none absolute ml-2.5 text-[11px] whitespace-nowrap text-now"
      style={{ left: x, top: y }}
    >
      {text}
    </span>
  );
}
