/** Trim and fades as folds of the paper at the edges. */
import { useRef } from "react";

import type { FullSound } from "../../api/types";
import { fixed } from "../../design/format";
import { Handle } from "./Handle";
import { type Change, stepFrom } from "../../app/shaping";

interface Props {
  pad: number;
  sound: FullSound;
  change: Change;
  x: (ms: number) => number;
  lengthMs: number;
  perPixel: number;
}

export function Trim({ pad, sound, change, x, lengthMs, perPixel }: Props) {
  const from = useRef(0);
  // Backwards, the chop's end is on the left.
  const [left, right] = sound.reverse ? (["end", "start"] as const) : (["start", "end"] as const);
  const most = lengthMs - 1;
  const clamp = (ms: number) => Math.max(0, Math.min(most - sound.start - sound.end + 1, ms));
  const fold = (
    name: "start" | "end" | "fade_in" | "fade_out",
    label: string,
    place: number,
    way: 1 | -1,
    className: string,
  ) => (
    <Handle
      label={label}
      value={`${fixed(sound[name], 1)} ms`}
      now={sound[name]}
      className={className}
      style={{ left: x(place) }}
      onGrab={() => (from.current = sound[name])}
      onDrag={(dx, _dy, gesture) =>
        change(
          {
            [name]: Math.max(
              0,
              Math.min(name.startsWith("fade") ? 4000 : from.current + clamp(most), from.current + way * dx * perPixel),
            ),
          },
          gesture,
        )
      }
      onStep={(across, _up, gesture) =>
        change({ [name]: Math.max(0, stepFrom(pad, sound)[name] + way * across) }, gesture)
      }
      onReset={() => change({ [name]: null })}
    />
  );
  const start = sound[left];
  const end = lengthMs - sound[right];
  return (
    <>
      {start > 0 ? (
        <span className="pointer-events-none absolute inset-y-0 left-0 bg-paper/80" style={{ width: x(start) }} />
      ) : null}
      {sound[right] > 0 ? (
        <span
          className="pointer-events-none absolute inset-y-0 bg-paper/80"
          style={{ left: x(end), width: x(sound[right]) }}
        />
      ) : null}
      {fold(
        left,
        sound.reverse ? "Trim the end" : "Trim the start",
        start,
        1,
        "top-0 h-full w-[7px] cursor-ew-resize border-l-[2px] border-ink hover:bg-well/60",
      )}
      {fold(
        right,
        sound.reverse ? "Trim the start" : "Trim the end",
        end,
        -1,
        "top-0 -ml-[7px] h-full w-[7px] cursor-ew-resize border-r-[2px] border-ink hover:bg-well/60",
      )}
      {fold(
        "fade_in",
        "Fade in",
        start + sound.fade_in,
        1,
        "bottom-0 size-[15px] cursor-ew-resize bg-rule [clip-path:polygon(0_0,100%_100%,0_100%)] hover:bg-ink2",
      )}
      {fold(
        "fade_out",
        "Fade out",
        end - sound.fade_out,
        -1,
        "bottom-0 -ml-[15px] size-[15px] cursor-ew-resize bg-rule [clip-path:polygon(100%_0,100%_100%,0_100%)] hover:bg-ink2",
      )}
    </>
  );
}
