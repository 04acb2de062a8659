import { describe, expect, it } from "vitest";

import { Glide } from "./glide";

interface Sent {
  from: number;
  to: number;
  cancelled: boolean;
}

/** An element that notes what is animated, and what it is set to by hand. */
function element() {
  const sent: Sent[] = [];
  const style = { visibility: "hidden", transform: "" };
  const x = (step: { transform: string }) => Number.parseFloat(step.transform.slice("translateX(".length)) + 1;
  const animate = (steps: [{ transform: string }, { transform: string }]) => {
    const one = { from: x(steps[0]), to: x(steps[1]), cancelled: false };
    sent.push(one);
    return { cancel: () => (one.cancelled = true), startTime: 0 };
  };
  return { sent, style, glide: new Glide({ style, animate } as unknown as HTMLElement) };
}

/** Frames of 16 ms, from one time to another, of a place that moves by `speed` pixels a ms. */
function frames(glide: Glide, from: number, to: number, place: (at: number) => number | null) {
  for (let at = from; at < to; at += 16) glide.follow(place(at), at);
}

describe("a line that glides", () => {
  it("is sent once while it moves evenly, at the speed that was seen", () => {
    const { sent, glide, style } = element();
    frames(glide, 0, 3000, (at) => 40 + 0.2 * at);
    expect(sent).toHaveLength(1);
    expect(sent[0]?.to).toBeCloseTo((sent[0]?.from ?? 0) + 0.2 * 4000, 3);
    expect(style.visibility).toBe("visible");
  });

  it("goes on as before after a jump, as at the end of a loop", () => {
    const { sent, glide } = element();
    frames(glide, 0, 2400, (at) => (0.2 * at) % 300);
    expect(sent).toHaveLength(2);
    expect(sent[0]?.cancelled).toBe(true);
    expect((sent[1]?.to ?? 0) - (sent[1]?.from ?? 0)).toBeCloseTo(800, 0);
  });

  it("takes on another speed within a tenth of a second or two", () => {
    const { sent, glide } = element();
    frames(glide, 0, 1000, (at) => 0.2 * at);
    frames(glide, 1008, 2000, (at) => 200 + 0.35 * (at - 1000));
    const last = sent.at(-1) as Sent;
    expect((last.to - last.from) / 4000).toBeCloseTo(0.35, 2);
    expect(sent.length).toBeLessThan(6);
  });

  it("is sent on before what it was sent for has run out", () => {
    const { sent, glide } = element();
    frames(glide, 0, 9000, (at) => 0.1 * at);
    expect(sent).toHaveLength(3);
  });

  it("is hidden where it is not in the picture, and comes back", () => {
    const { sent, glide, style } = element();
    frames(glide, 0, 500, (at) => 0.1 * at);
    glide.follow(null, 512);
    expect(style.visibility).toBe("hidden");
    expect(sent.every((one) => one.cancelled)).toBe(true);
    frames(glide, 528, 1000, (at) => 0.1 * at);
    expect(style.visibility).toBe("visible");
    expect(sent.at(-1)?.cancelled).toBe(false);
  });
});
