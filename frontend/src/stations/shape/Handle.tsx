/** Something on the wave to drag: a bead, an edge. Moved by the pointer, and by the arrow keys. */
import { useRef, type CSSProperties, type ReactNode } from "react";

import { newGesture } from "../../design/NumberField";

interface Props {
  label: string;
  /** What it says to those who do not see it. */
  value: string;
  now: number;
  className?: string;
  style?: CSSProperties;
  children?: ReactNode;
  /** By so many pixels across and down since the press. */
  onDrag: (dx: number, dy: number, gesture: string) => void;
  onGrab?: () => void;
  /** By arrow keys: steps across and up. */
  onStep: (across: number, up: number, gesture: string) => void;
  onReset?: () => void;
}

export function Handle({ label, value, now, className = "", style, children, onDrag, onGrab, onStep, onReset }: Props) {
  const from = useRef<{ x: number; y: number; gesture: string } | null>(null);
  const keys = useRef({ gesture: "", until: 0 });
  return (
    <button
      type="button"
      role="slider"
      aria-label={label}
      aria-valuetext={value}
      aria-valuenow={now}
      data-own-arrows
      title={`${label}: ${value}`}
      className={`absolute touch-none ${className}`}
      style={style}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = { x: event.clientX, y: event.clientY, gesture: newGesture() };
        onGrab?.();
      }}
      onPointerMove={(event) =>
        from.current && onDrag(event.clientX - from.current.x, event.clientY - from.current.y, from.current.gesture)
      }
      onPointerUp={() => (from.current = null)}
      onPointerCancel={() => (from.current = null)}
      onDoubleClick={onReset}
      onKeyDown={(event) => {
        const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
        if (!way) return;
        event.preventDefault();
        event.stopPropagation();
        const at = performance.now();
        if (at > keys.current.until) keys.current.gesture = newGesture();
        keys.current.until = at + 900;
        const by = event.shiftKey ? 10 : 1;
        onStep((way[0] as number) * by, (way[1] as number) * by, keys.current.gesture);
      }}
    >
      {children}
    </button>
  );
}
