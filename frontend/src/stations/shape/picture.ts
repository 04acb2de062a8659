/** A sound drawn as its extremes by column. */

export function drawPcm(
  canvas: HTMLCanvasElement,
  sound: [Float32Array, Float32Array] | undefined,
  from: number,
  framesAcross: number,
  color: string,
  gain = 1,
): void {
  const ratio = window.devicePixelRatio || 1;
  const width = canvas.clientWidth;
  const height = canvas.clientHeight;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const context = canvas.getContext("2d");
  if (!context) return;
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, width, height);
  if (!sound) return;
  const [left, right] = sound;
  const middle = height / 2;
  const step = framesAcross / width;
  context.fillStyle = color;
  let highest = 0;
  let lowest = 0;
  for (let x = 0; x < width; x++) {
    const first = Math.floor(from + x * step);
    const last = Math.min(left.length, Math.max(first + 1, Math.floor(from + (x + 1) * step)));
    if (first >= left.length) break;
    let high = -1;
    let low = 1;
    for (let i = Math.max(0, first); i < last; i++) {
      const value = ((left[i] as number) + (right[i] as number)) / 2;
      if (value > high) high = value;
      if (value < low) low = value;
    }
    if (high < low) continue;
    // Closer than a sample a column, a line goes from one to the next.
    const [above, below] = [high, low];
    if (x > 0) {
      high = Math.max(high, lowest);
      low = Math.min(low, highest);
    }
    highest = above;
    lowest = below;
    const top = middle - Math.min(1, high * gain) * (middle - 2);
    const bottom = middle - Math.max(-1, low * gain) * (middle - 2);
    context.fillRect(x, top, 1, Math.max(1, bottom - top));
  }
}
