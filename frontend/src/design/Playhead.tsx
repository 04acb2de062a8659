/** The line that moves over a picture while it plays: by itself, so that the picture under it is painted once. */
import { useEffect, useRef } from "react";

import { Glide } from "./glide";

/** at: pixels from the left, or null where it is not in this picture. With `flag`, it has one at its top, as the cursor has. */
export function Playhead({ moving, at, flag = false }: { moving: boolean; at: () => number | null; flag?: boolean }) {
  const line = useRef<HTMLSpanElement>(null);
  const latest = useRef(at);
  useEffect(() => {
    latest.current = at;
  });
  useEffect(() => {
    const element = line.current;
    if (!element || !moving) return;
    const glide = new Glide(element);
    let frame = requestAnimationFrame(tick);
    function tick() {
      glide.follow(latest.current(), performance.now());
      frame = requestAnimationFrame(tick);
    }
    return () => {
      cancelAnimationFrame(frame);
      glide.end();
    };
  }, [moving]);
  // On a layer of its own, so that nothing else is painted as it moves.
  return (
    <span
      ref={line}
      aria-hidden
      className="pointer-events-none absolute inset-y-0 left-0 w-[2px] bg-now will-change-transform"
      style={{ visibility: "hidden" }}
    >
      {flag ? (
        <span className="absolute top-0 left-[-5px] h-[8px] w-[13px] bg-now [clip-path:polygon(0_0,100%_0,50%_100%)]" />
      ) : null}
    </span>
  );
}
