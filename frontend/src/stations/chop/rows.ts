/** The slices of a find as rows: what is shown of each, sorted and filtered. */
import type { Pad, Role, SliceFact, Source } from "../../api/types";
import { factKey } from "../../app/facts";
import type { Column, TableView } from "../../app/view";
import { fixed, position } from "../../design/format";
import { ROLES } from "../../design/roles";
import { beatsAt, sliceMarks, type Grid, type SliceMark } from "../../wave/marks";

export interface SliceRow {
  mark: SliceMark;
  at: string;
  length: string;
  name: string;
  /** Whether it was named by hand. */
  own: boolean;
  role: Role | null;
  fact: SliceFact | undefined;
  clean: string;
  pitch: string;
  level: string;
  pads: number[];
}

export const COLUMNS: { by: Column | null; head: string; width: string; help?: string }[] = [
  { by: "number", head: "slice", width: "w-[46px]" },
  { by: null, head: "at", width: "w-[84px]" },
  { by: "length", head: "length", width: "w-[66px]" },
  { by: "name", head: "name", width: "" },
  { by: "role", head: "role", width: "w-[78px]" },
  {
    by: "clean",
    head: "alone",
    width: "w-[56px]",
    help: "How much of its sound is the drum alone, without what else plays",
  },
  { by: "pitch", head: "pitch", width: "w-[84px]" },
  { by: "level", head: "level", width: "w-[72px]" },
  { by: "pad", head: "pad", width: "w-[64px]" },
];

/** Where each slice of a source is on the pads. */
function padsByCut(pads: Record<string, Pad>, source: string): Map<string, number[]> {
  const out = new Map<string, number[]>();
  for (const [index, pad] of Object.entries(pads)) {
    for (const chop of [pad.chop, ...pad.takes, ...pad.layers.map((layer) => layer.chop)]) {
      if (chop.source !== source || !chop.cut) continue;
      const there = out.get(chop.cut) ?? [];
      if (!there.includes(Number(index))) out.set(chop.cut, [...there, Number(index)]);
    }
  }
  return out;
}

export function sliceRows(
  source: Source,
  pads: Record<string, Pad>,
  grid: Grid | null,
  rate: number,
  facts: Map<string, SliceFact>,
): SliceRow[] {
  const where = padsByCut(pads, source.id);
  const roles = new Map(source.cuts.map((cut) => [cut.id, cut]));
  return sliceMarks(source).map((mark) => {
    const cut = roles.get(mark.id);
    const fact = facts.get(factKey(source, mark.start, mark.end));
    return {
      mark,
      at: grid
        ? position(Math.round(beatsAt(grid, mark.start) * 4) / 4, grid.beatsPerBar)
        : `${(mark.start / rate).toFixed(3)} s`,
      length: `${((mark.end - mark.start) / rate).toFixed(2)} s`,
      name: cut?.called ?? "",
      own: Boolean(cut?.name),
      role: cut?.role ?? null,
      fact,
      clean: typeof fact?.clean === "number" ? `${Math.round(fact.clean * 100)} %` : "–",
      pitch: typeof fact?.key === "number" ? `${fact.note ?? ""} ${signed(fact.cents ?? 0)}` : "–",
      level: typeof fact?.level_db === "number" ? `${fixed(fact.level_db, 1)} dB` : "–",
      pads: where.get(mark.id) ?? [],
    };
  });
}

function signed(cents: number): string {
  const whole = Math.round(cents);
  return whole ? `${whole > 0 ? "+" : "−"}${Math.abs(whole)} ct` : "";
}

const ORDER = Object.keys(ROLES);
const LAST = 1e9;

function value(row: SliceRow, by: Column): number | string {
  switch (by) {
    case "number":
      return row.mark.number;
    case "length":
      return row.mark.end - row.mark.start;
    case "name":
      return row.name.toLowerCase() || "\uffff";
    case "role":
      return row.role ? ORDER.indexOf(row.role) : LAST;
    case "clean":
      return typeof row.fact?.clean === "number" ? -row.fact.clean : LAST;
    case "pitch":
      return typeof row.fact?.key === "number" ? row.fact.key + (row.fact.cents ?? 0) / 100 : LAST;
    case "level":
      return typeof row.fact?.level_db === "number" ? -row.fact.level_db : LAST;
    case "pad":
      return row.pads[0] ?? LAST;
  }
}

/** Rows of the wanted roles whose name or number holds the text, in order; what a column does not know comes last. */
export function arranged(rows: SliceRow[], { by, down, roles, text }: TableView): SliceRow[] {
  const wanted = text.trim().toLowerCase();
  const out = rows.filter(
    (row) =>
      (!roles.length || (row.role && roles.includes(row.role))) &&
      (!wanted || row.name.toLowerCase().includes(wanted) || String(row.mark.number) === wanted),
  );
  if (by === "number" && !down) return out;
  const way = down ? -1 : 1;
  return out
    .map((row) => ({ row, key: value(row, by) }))
    .sort((a, b) => {
      if (a.key === b.key) return a.row.mark.number - b.row.mark.number;
      if (a.key === LAST || b.key === LAST) return a.key === LAST ? 1 : -1;
      return a.key < b.key ? -way : way;
    })
    .map(({ row }) => row);
}
