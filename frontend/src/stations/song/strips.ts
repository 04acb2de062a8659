/** What a pattern plays in a line of the song, drawn. */
import type { Pattern, Pocket, Section } from "../../api/types";
import { CARD, faded, INK, INK2, roleColor, ROLES } from "../../design/roles";

export const STRIP = 22;

interface Stretch {
  at: number;
  first: number;
  last: number;
  perBeat: number;
}

/** What a pattern plays in this line, round and round from the section's beginning. */
export function paintStrip(
  c: CanvasRenderingContext2D,
  pocket: Pocket,
  section: Section,
  pattern: Pattern,
  y: number,
  { at, first, last, perBeat }: Stretch,
): void {
  const long = pattern.bars * pattern.beats_per_bar;
  const roles = pattern.hits.map((hit) => pocket.pads[hit.pad]?.role ?? null);
  const common = roles.length
    ? roles.sort((a, b) => roles.filter((r) => r === b).length - roles.filter((r) => r === a).length)[0]
    : null;
  c.globalAlpha = 0.14;
  c.fillStyle = common ? ROLES[common].color : INK2;
  c.fillRect(0, y + 1, (last - first) * perBeat, STRIP - 2);
  c.globalAlpha = 1;
  for (let round = Math.floor((first - at) / long); at + round * long < last; round++) {
    for (const hit of pattern.hits) {
      const beat = at + round * long + hit.beat;
      if (hit.beat >= long || beat < first || beat >= last) continue;
      const tall = Math.max(2, (hit.velocity / 127) * (STRIP - 6));
      c.globalAlpha = !pocket.pads[hit.pad] || section.muted.includes(hit.pad) ? 0.2 : 1;
      c.fillStyle = roleColor(pocket.pads[hit.pad]?.role);
      c.fillRect((beat - first) * perBeat, y + STRIP - 3 - tall, Math.max(2, Math.min(5, 0.2 * perBeat)), tall);
    }
  }
  c.globalAlpha = 1;
}

export function paintName(c: CanvasRenderingContext2D, name: string, y: number): void {
  c.font = '600 11px "Atkinson Hyperlegible Next Variable"';
  const wide = Math.min(150, c.measureText(name).width + 10);
  c.fillStyle = faded(CARD, 0.86);
  c.fillRect(2, y + 3, wide, STRIP - 7);
  c.save();
  c.beginPath();
  c.rect(2, y, wide, STRIP);
  c.clip();
  c.fillStyle = INK;
  c.fillText(name, 7, y + 15);
  c.restore();
}
