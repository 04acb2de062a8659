import { useCallback, useEffect, useRef, useState, type RefObject } from "react";

import { useWindow } from "../design/useWindow";
import { onPicture } from "./peaks";

/** One side of an element, followed as it changes. The element is there from the first render on. */
function useSide(target: RefObject<HTMLElement | null>, side: "clientWidth" | "clientHeight"): number {
  const [length, setLength] = useState(0);
  useEffect(() => {
    const element = target.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setLength(Math.floor(element[side])));
    watch.observe(element);
    setLength(Math.floor(element[side]));
    return () => watch.disconnect();
  }, [target, side]);
  return length;
}

export function useWidth(target: RefObject<HTMLElement | null>): number {
  return useSide(target, "clientWidth");
}

export function useHeight(target: RefObject<HTMLElement | null>): number {
  return useSide(target, "clientHeight");
}

/**
 * Paint at most once a frame: when asked, and when a picture has come. The painter is the newest one given. What moves
 * lies over the canvas. Returns the function that asks.
 */
export function usePaint(paint: () => void): () => void {
  const latest = useRef(paint);
  const asked = useRef(0);
  const ask = useCallback(() => {
    if (!asked.current) {
      asked.current = requestAnimationFrame(() => {
        asked.current = 0;
        latest.current();
      });
    }
  }, []);
  useEffect(() => {
    latest.current = paint;
    ask();
  });
  useEffect(() => onPicture(ask), [ask]);
  useEffect(
    () => () => {
      cancelAnimationFrame(asked.current);
      asked.current = 0;
    },
    [],
  );
  useEffect(() => {
    void document.fonts.ready.then(ask);
  }, [ask]);
  return ask;
}

/** Of a window that is this high, waves have the height that their station gives them. */
const USUAL = 800;
const LOWEST = 130;

/**
 * The height of a station's wave: grows and shrinks with the window, so that neither lists nor waves lie idle. share: of what a
 * window has over the usual one.
 */
export function useWaveHeight(usual: number, share = 0.3): number {
  const inner = useWindow(() => window.innerHeight);
  const over = inner - USUAL;
  return Math.max(LOWEST, Math.round(usual + over * (over > 0 ? share : 0.3)));
}
