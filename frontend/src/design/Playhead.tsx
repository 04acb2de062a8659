/** The line that moves over a picture while it plays: by itself, so that the picture under it is painted once. */
import { useEffect, useRef } from "react";

/** at: pixels from the left, or null where it is not in this picture. */
export function Playhead({ moving, at }: { moving: boolean; at: () => number | null }) {
  const line = useRef<HTMLSpanElement>(null);
  const latest = useRef(at);
  useEffect(() => {
    latest.current = at;
  });
  useEffect(() => {
    const element = line.current;
    if (!element || !moving) return;
    let frame = 0;
    let shown = false;
    function tick() {
      const x = latest.current();
      if (element && (x !== null || shown)) {
        shown = x !== null;
        element.style.visibility = shown ? "visible" : "hidden";
        if (x !== null) element.style.transform = `translateX(${x - 1}px)`;
      }
      frame = requestAnimationFrame(tick);
    }
    tick();
    return () => {
      cancelAnimationFrame(frame);
      element.style.visibility = "hidden";
    };
  }, [moving]);
  return <span ref={line} aria-hidden className="pointer-events-none absolute inset-y-0 left-0 w-[2px] bg-now" style={{ visibility: "hidden" }} />;
}
