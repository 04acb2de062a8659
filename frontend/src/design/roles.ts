/** The colour and glyph of each role; colour never stands alone. */
import type { Role } from "../api/types";

export const ROLES: Record<Role, { glyph: string; color: string; label: string }> = {
  kick: { glyph: "●", color: "#9c4413", label: "kick" },
  snare: { glyph: "◆", color: "#0a675d", label: "snare" },
  hat: { glyph: "▲", color: "#6f5d00", label: "hat" },
  perc: { glyph: "■", color: "#47691c", label: "perc" },
  tonal: { glyph: "∿", color: "#5a47a3", label: "tonal" },
  vocal: { glyph: "◖", color: "#1f5f96", label: "vocal" },
};
export const ROLE_NAMES = Object.keys(ROLES) as Role[];
export const INK = "#2a1b33";
export const INK2 = "#5c5163";
export const NOW = "#b3205a";
export const CARD = "#f6f8f2";
export const RULE = "#bcc5b6";

export function roleColor(role: Role | null | undefined): string {
  return role ? ROLES[role].color : INK2;
}
