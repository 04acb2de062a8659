import { useEffect, useRef, type RefObject } from "react";

/** Wheel events that may be stopped from scrolling the page: React's own listeners are passive. */
export function useWheel(target: RefObject<HTMLElement | null>, handler: (event: WheelEvent) => void): void {
  const latest = useRef(handler);
  useEffect(() => {
    latest.current = handler;
  });
  useEffect(() => {
    const element = target.current;
    if (!element) return;
    const listen = (event: WheelEvent) => latest.current(event);
    element.addEventListener("wheel", listen, { passive: false });
    return () => element.removeEventListener("wheel", listen);
  }, [target]);
}
