/** The part that comes again, as a field over the wave; and the part with settings of its own. */
import { useRef } from "react";

import type { FullSound } from "../../api/types";
import { fixed } from "../../design/format";
import { Handle } from "./Handle";
import { type Change, stepFrom } from "../../app/shaping";
import { faded, roleColor } from "../../design/roles";

interface Props {
  pad: number;
  sound: FullSound;
  change: Change;
  x: (ms: number) => number;
  width: number;
  lengthMs: number;
  offsetMs: number;
}

export function Loop(props: Props) {
  const { sound } = props;
  return (
    <>
      {sound.play === "loop" ? (
        <Field
          {...props}
          from="loop_from"
          to="loop_to"
          open
          color={faded(roleColor("tonal"), 0.13)}
          text={`loop, ${fixed(sound.loop_fade, 0)} ms crossfade${sound.loop_way === "both" ? ", back and forth" : ""}`}
          name="Loop"
        />
      ) : null}
      {sound.part_to > sound.part_from ? (
        <Field
          {...props}
          from="part_from"
          to="part_to"
          open={false}
          color={faded(roleColor("kick"), 0.12)}
          text="part"
          name="Part"
        />
      ) : null}
    </>
  );
}

interface FieldProps extends Props {
  from: "loop_from" | "part_from";
  to: "loop_to" | "part_to";
  open: boolean;
  color: string;
  text: string;
  name: string;
}

function Field({ pad, sound, change, x, width, lengthMs, offsetMs, from, to, open, color, text, name }: FieldProps) {
  const grabbed = useRef(0);
  const first = sound[from];
  const last = open && sound[to] <= 0 ? lengthMs : sound[to];
  const perPixel = 1000 / Math.max(1, x(1000));
  const edge = (field: typeof from | typeof to, value: number, label: string, side: string) => (
    <Handle
      label={label}
      value={`${fixed(value, 1)} ms`}
      now={value}
      className={`top-[18px] bottom-0 w-[7px] cursor-ew-resize hover:bg-tonal/40 ${side}`}
      style={{ left: x(offsetMs + value) }}
      onGrab={() => (grabbed.current = value)}
      onDrag={(dx, _dy, gesture) =>
        change(
          {
            [field]: Math.max(
              field === to ? first + 1 : 0,
              Math.min(field === from ? last - 1 : lengthMs, grabbed.current + dx * perPixel),
            ),
          },
          gesture,
        )
      }
      onStep={(across, _up, gesture) =>
        change({ [field]: Math.max(0, Math.min(lengthMs, (stepFrom(pad, sound)[field] || value) + across)) }, gesture)
      }
      onReset={() => change({ [field]: null })}
    />
  );
  return (
    <>
      <span
        className="pointer-events-none absolute inset-y-0"
        style={{ left: x(offsetMs + first), width: Math.min(width, x(last - first)), background: color }}
      >
        <span className="absolute bottom-1 left-2 text-[11px] whitespace-nowrap text-tonal">{text}</span>
      </span>
      {edge(from, first, `${name} from`, "border-l-[2px] border-tonal")}
      {edge(to, last, `${name} to`, "-ml-[7px] border-r-[2px] border-tonal")}
    </>
  );
}
