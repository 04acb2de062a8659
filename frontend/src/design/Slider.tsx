import { Slider as Radix } from "radix-ui";
import { useRef } from "react";

import type { Parameter } from "../api/types";
import { fixed } from "./format";
import { clampTo, newGesture } from "./NumberField";
import { placeOf, valueAt } from "./scale";
import { useLive } from "./useLive";
import { useWheel } from "./useWheel";

interface Props {
  parameter: Parameter;
  value: number;
  onChange: (value: number, gesture: string) => void;
  label?: string;
  className?: string;
}

const STEPS = 1000;

/** A slider whose drag is one gesture; wheel and arrow keys step, a double click resets. */
export function Slider({ parameter, value, onChange, label, className = "" }: Props) {
  const live = useLive(value, onChange);
  const gesture = useRef("");
  const until = useRef(0);
  const root = useRef<HTMLSpanElement>(null);
  const log = parameter.curve === "log";
  const smallest = Math.max(10 ** -parameter.digits, (parameter.high - parameter.low) / 2000);

  function current(): string {
    const now = performance.now();
    if (now > until.current) gesture.current = newGesture();
    // A hand that rests in the middle of a drag goes on with it.
    until.current = Math.max(until.current, now + 900);
    return gesture.current;
  }
  useWheel(root, (event) => {
    event.preventDefault();
    live.set(clampTo(parameter, live.base() + (event.deltaY < 0 ? 1 : -1) * parameter.step), current());
  });

  return (
    <Radix.Root
      ref={root}
      className={`relative flex h-5 touch-none items-center select-none ${className}`}
      min={log ? 0 : parameter.low}
      max={log ? STEPS : parameter.high}
      step={log ? 1 : smallest}
      value={[log ? STEPS * placeOf(parameter, live.shown) : live.shown]}
      onPointerDown={() => {
        gesture.current = newGesture();
        until.current = Infinity;
      }}
      onPointerUp={() => {
        until.current = 0;
      }}
      onPointerCancel={() => {
        until.current = 0;
      }}
      onValueChange={([next]) =>
        next !== undefined && live.set(clampTo(parameter, log ? valueAt(parameter, next / STEPS) : next), current())
      }
      onDoubleClick={() => live.set(parameter.default, newGesture())}
    >
      <Radix.Track className="relative h-[3px] grow bg-rule">
        <Radix.Range className="absolute h-full bg-ink2" />
      </Radix.Track>
      <Radix.Thumb
        aria-label={label ?? parameter.label}
        aria-valuetext={`${fixed(live.shown, parameter.digits)} ${parameter.unit}`.trim()}
        className="block h-[15px] w-[9px] rounded-[2px] bg-ink hover:bg-ink2"
        onKeyDown={(event) => {
          const way = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
          if (!way) return;
          event.preventDefault();
          event.stopPropagation();
          live.set(clampTo(parameter, live.base() + way * (event.shiftKey ? smallest : parameter.step)), current());
        }}
      />
    </Radix.Root>
  );
}
