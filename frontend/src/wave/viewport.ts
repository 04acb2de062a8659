/** The visible stretch of a source and the moves on it. */
import type { Span } from "../app/view";

const CLOSEST = 24;

export function whole(frames: number): Span {
  return { start: 0, end: frames };
}

export function clampSpan(span: Span, frames: number): Span {
  const length = Math.min(Math.max(span.end - span.start, CLOSEST), Math.max(frames, CLOSEST));
  const start = Math.min(Math.max(0, span.start), Math.max(0, frames - length));
  return { start, end: start + length };
}

/** Zoom by a factor (below 1: closer) so that `around` stays where it is. */
export function zoomed(span: Span, factor: number, around: number, frames: number): Span {
  const length = Math.min(frames, Math.max(CLOSEST, (span.end - span.start) * factor));
  const share = (around - span.start) / (span.end - span.start);
  return clampSpan({ start: around - share * length, end: around - share * length + length }, frames);
}

export function panned(span: Span, by: number, frames: number): Span {
  return clampSpan({ start: span.start + by, end: span.end + by }, frames);
}

/** The span moved so that a stretch is in view, if it is not. */
export function revealing(span: Span, start: number, end: number, frames: number): Span {
  if (start >= span.start && end <= span.end) return span;
  const length = span.end - span.start;
  const lead = Math.max(0, (length - (end - start)) / 2);
  return clampSpan({ start: start - lead, end: start - lead + Math.max(length, end - start) }, frames);
}

/** A stretch and as much on both sides of it, clipped to the source. */
export function around(start: number, end: number, margin: number, frames: number): Span {
  return clampSpan({ start: Math.max(0, start - margin), end: Math.min(frames, end + margin) }, frames);
}
