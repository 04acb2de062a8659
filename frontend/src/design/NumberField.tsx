import { useRef, useState, type KeyboardEvent, type PointerEvent, type WheelEvent } from "react";

import type { Parameter } from "../api/types";
import { fixed, parseNumber } from "./format";
import { useLive } from "./useLive";
import { useWheel } from "./useWheel";

interface Props {
  parameter: Parameter;
  value: number;
  /** gesture: changes that belong together, such as one drag. */
  onChange: (value: number, gesture: string) => void;
  label?: string;
  className?: string;
  showUnit?: boolean;
  align?: "left" | "right";
}

export function clampTo(parameter: Parameter, value: number): number {
  const tidy = Math.round(value * 10 ** parameter.digits) / 10 ** parameter.digits;
  return Math.min(parameter.high, Math.max(parameter.low, tidy));
}

export function newGesture(): string {
  return crypto.randomUUID();
}

/** A number to drag up and down, type over, wheel, step with the arrow keys, or reset with a double click. */
export function NumberField({
  parameter,
  value,
  onChange,
  label,
  className = "",
  showUnit = true,
  align = "left",
}: Props) {
  const live = useLive(value, onChange);
  const shown = live.shown;
  const [typed, setTyped] = useState<string | null>(null);
  const drag = useRef<{ y: number; from: number; moved: boolean; gesture: string } | null>(null);
  const wheel = useRef<{ gesture: string; until: number }>({ gesture: "", until: 0 });
  const input = useRef<HTMLInputElement>(null);
  const done = useRef(false);

  function step(count: number, fine: boolean, gesture: string) {
    live.set(
      clampTo(
        parameter,
        live.base() + count * (fine ? Math.max(parameter.step / 10, 10 ** -parameter.digits) : parameter.step),
      ),
      gesture,
    );
  }
  function commit() {
    const text = input.current?.value;
    if (typed === null || text === undefined || done.current) return;
    // Shown rounded, it is not to be rounded by a look at it.
    if (text === fixed(shown, parameter.digits)) return setTyped(null);
    // Enter commits and then takes the focus away, which would commit once more.
    done.current = true;
    const number = parseNumber(text);
    setTyped(null);
    if (number !== null && number !== value)
      live.set(Math.min(parameter.high, Math.max(parameter.low, number)), newGesture());
  }
  function onKeyDown(event: KeyboardEvent) {
    if (event.key === "Enter") {
      commit();
      input.current?.blur();
    } else if (event.key === "Escape") {
      done.current = true;
      setTyped(null);
      input.current?.blur();
    } else if (event.key === " ") {
      // No part of a number: it is kept, and the key goes on to the transport.
      event.preventDefault();
      commit();
      input.current?.blur();
    } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      event.preventDefault();
      setTyped(null);
      step(event.key === "ArrowUp" ? 1 : -1, event.shiftKey, newGesture());
    }
  }
  function onPointerDown(event: PointerEvent) {
    if (document.activeElement === input.current) return;
    event.preventDefault();
    (event.target as Element).setPointerCapture(event.pointerId);
    drag.current = { y: event.clientY, from: live.base(), moved: false, gesture: newGesture() };
  }
  function onPointerMove(event: PointerEvent) {
    const now = drag.current;
    if (!now) return;
    const up = now.y - event.clientY;
    if (Math.abs(up) > 3) now.moved = true;
    if (now.moved) {
      const scale = (event.shiftKey ? 0.1 : 1) * Math.max(parameter.step / 4, (parameter.high - parameter.low) / 600);
      live.set(clampTo(parameter, now.from + up * scale), now.gesture);
    }
  }
  function onPointerUp() {
    if (drag.current && !drag.current.moved) {
      input.current?.focus();
      input.current?.select();
    }
    drag.current = null;
  }
  function onWheel(event: WheelEvent | globalThis.WheelEvent) {
    event.preventDefault();
    const now = performance.now();
    if (now > wheel.current.until) wheel.current.gesture = newGesture();
    wheel.current.until = now + 700;
    step(event.deltaY < 0 ? 1 : -1, event.shiftKey, wheel.current.gesture);
  }
  useWheel(input, onWheel);

  return (
    <span className={`inline-flex items-baseline gap-1 ${align === "right" ? "justify-end" : ""} ${className}`}>
      <input
        ref={input}
        role="spinbutton"
        aria-label={label ?? parameter.label}
        aria-valuemin={parameter.low}
        aria-valuemax={parameter.high}
        aria-valuenow={shown}
        aria-valuetext={`${fixed(shown, parameter.digits)} ${parameter.unit}`.trim()}
        inputMode="decimal"
        title={`${parameter.help}. Drag, type, wheel, arrow keys; double click for ${fixed(parameter.default, parameter.digits)}.`}
        style={{ width: `${(typed ?? fixed(shown, parameter.digits)).length + 0.3}ch` }}
        className="min-w-[1.5ch] cursor-ns-resize rounded-[2px] bg-transparent focus:cursor-text focus:bg-card"
        value={typed ?? fixed(shown, parameter.digits)}
        onChange={(e) => {
          done.current = false;
          setTyped(e.target.value);
        }}
        onFocus={() => {
          done.current = false;
          setTyped(fixed(shown, parameter.digits));
        }}
        onBlur={commit}
        onKeyDown={onKeyDown}
        onPointerDown={onPointerDown}
        onPointerMove={onPointerMove}
        onPointerUp={onPointerUp}
        onDoubleClick={() => {
          done.current = true;
          setTyped(null);
          input.current?.blur();
          live.set(parameter.default, newGesture());
        }}
      />
      {showUnit && parameter.unit ? <span className="text-ink2">{parameter.unit}</span> : null}
    </span>
  );
}
