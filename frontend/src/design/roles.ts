/** The inks of the print that is on, for canvases; and the colour and glyph of each role. Colour never stands alone. */
import type { Role } from "../api/types";

export const ROLES: Record<Role, { glyph: string; color: string; label: string }> = {
  kick: { glyph: "●", color: "", label: "kick" },
  snare: { glyph: "◆", color: "", label: "snare" },
  hat: { glyph: "▲", color: "", label: "hat" },
  perc: { glyph: "■", color: "", label: "perc" },
  tonal: { glyph: "∿", color: "", label: "tonal" },
  vocal: { glyph: "◖", color: "", label: "vocal" },
};
export const ROLE_NAMES = Object.keys(ROLES) as Role[];
export let INK = "";
export let INK2 = "";
export let NOW = "";
export let NOWTINT = "";
export let CARD = "";
export let PAPER = "";
export let WELL = "";
export let STRIPE = "";
export let RULE = "";

/** Take the inks over from the style sheet: whoever paints after this paints with them. */
export function takeInks(): void {
  const style = getComputedStyle(document.documentElement);
  const of = (name: string) => style.getPropertyValue(`--color-${name}`).trim();
  [INK, INK2, NOW, NOWTINT, CARD] = ["ink", "ink2", "now", "nowtint", "card"].map(of) as [
    string,
    string,
    string,
    string,
    string,
  ];
  [PAPER, WELL, STRIPE, RULE] = ["paper", "well", "stripe", "rule"].map(of) as [string, string, string, string];
  for (const role of ROLE_NAMES) ROLES[role].color = of(role);
}

export function roleColor(role: Role | null | undefined): string {
  return role ? ROLES[role].color : INK2;
}

/** An ink (#rrggbb) that lets through what it lies on. */
export function faded(ink: string, opacity: number): string {
  return `${ink}${Math.round(255 * opacity)
    .toString(16)
    .padStart(2, "0")}`;
}
