/** A line that moves evenly: its movement is handed to the browser's own animations, which need no work of the page's. */

/** Off by more than this it is put right, in pixels. */
const OFF = 0.75;
/** Its speed is taken over so long; and it is sent on for so long at once. In ms. */
const SEEN_MS = 120;
const AHEAD_MS = 4000;

/** Follows a place and puts the movement right where it left it. */
export class Glide {
  private going: Animation | null = null;
  private from = { x: 0, at: 0 };
  private last: { x: number; at: number } | null = null;
  private speed = 0;

  constructor(private readonly element: HTMLElement) {}

  follow(x: number | null, at: number): void {
    if (x === null) return this.end();
    if (this.going) {
      const off = x - (this.from.x + this.speed * (at - this.from.at));
      if (Math.abs(off) < OFF && at - this.from.at < AHEAD_MS - SEEN_MS) return;
      const seen = at - this.from.at;
      // It jumped, as at the end of a loop, and goes on as before; or its speed is a little other, or another one altogether.
      if (Math.abs(off) < OFF || Math.abs(off) > 4 * OFF) return this.send(x, at);
      if (seen > SEEN_MS) {
        this.speed = (x - this.from.x) / seen;
        return this.send(x, at);
      }
      this.stop();
    }
    if (!this.last || x < this.last.x) this.last = { x, at };
    this.element.style.visibility = "visible";
    this.element.style.transform = `translateX(${x - 1}px)`;
    if (at - this.last.at < SEEN_MS) return;
    this.speed = (x - this.last.x) / (at - this.last.at);
    this.send(x, at);
  }

  private send(x: number, at: number): void {
    this.stop();
    this.from = { x, at };
    const to = x + this.speed * AHEAD_MS;
    const steps = [{ transform: `translateX(${x - 1}px)` }, { transform: `translateX(${to - 1}px)` }];
    this.going = this.element.animate(steps, { duration: AHEAD_MS, fill: "both" });
    // Else it would wait for the next frame or two.
    this.going.startTime = at;
  }

  private stop(): void {
    this.going?.cancel();
    this.going = this.last = null;
  }

  end(): void {
    this.stop();
    this.element.style.visibility = "hidden";
  }
}
