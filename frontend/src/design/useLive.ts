import { useEffect, useRef, useState } from "react";

const HOLD_MS = 600;

/**
 * A value that answers the hand at once: what was set last is shown, and counted on from, until the server's answer has
 * come back; otherwise quick steps would each start from an old value.
 */
export function useLive(value: number, onChange: (value: number, gesture: string) => void) {
  const [held, setHeld] = useState<number | null>(null);
  const latest = useRef<{ value: number; at: number }>({ value, at: -HOLD_MS });
  useEffect(() => {
    if (held === null) return;
    const timer = window.setTimeout(() => setHeld(null), value === held ? 0 : HOLD_MS);
    return () => window.clearTimeout(timer);
  }, [held, value]);

  return {
    shown: held ?? value,
    /** The value to step from. */
    base: () => (performance.now() - latest.current.at < HOLD_MS ? latest.current.value : value),
    set: (next: number, gesture: string) => {
      latest.current = { value: next, at: performance.now() };
      setHeld(next);
      onChange(next, gesture);
    },
  };
}
