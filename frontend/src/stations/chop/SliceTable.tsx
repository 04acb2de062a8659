import { memo, useEffect, useMemo, useRef } from "react";

import type { Pad, Source } from "../../api/types";
import { chooseSlice } from "../../app/actions";
import { usePocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { position } from "../../design/format";
import { ROLES } from "../../design/roles";
import { PAGE, useKeyNames } from "../../pads/keys";
import { useLines } from "../../wave/lines";
import { beatsAt, sliceMarks, type SliceMark } from "../../wave/marks";

/** Where each slice of a source is on the pads. */
function padsByCut(pads: Record<string, Pad>, source: string): Map<string, number[]> {
  const out = new Map<string, number[]>();
  for (const [index, pad] of Object.entries(pads)) {
    if (pad.chop.source !== source || !pad.chop.cut) continue;
    out.set(pad.chop.cut, [...(out.get(pad.chop.cut) ?? []), Number(index)]);
  }
  return out;
}

export function SliceTable({ source, rate }: { source: Source; rate: number }) {
  const pads = usePocket((s) => s.open?.pocket.pads);
  const chosen = useView((s) => s.cuts);
  const names = useKeyNames((s) => s.names);
  const marks = useMemo(() => sliceMarks(source), [source]);
  const where = useMemo(() => padsByCut(pads ?? {}, source.id), [pads, source.id]);
  const grid = useLines(source);
  const cuts = useMemo(() => new Map(source.cuts.map((cut) => [cut.id, cut])), [source.cuts]);

  if (!marks.length)
    return (
      <p className="mt-2 rounded-[4px] border border-dashed border-ink2 p-4 text-ink2">
        No slices at this sensitivity. Raise it, double click on the wave to cut by hand, or press N while it plays.
      </p>
    );
  return (
    <div className="thin-scroll min-h-0 grow overflow-auto" tabIndex={0} role="region" aria-label="Slices">
      <table className="w-full border-collapse text-[12px]">
        <thead className="sticky top-0 z-10 bg-paper text-left text-[11px] text-ink2">
          <tr>
            {["slice", grid ? "at" : "at (s)", "length", "name", "role", "pad"].map((head) => (
              <th key={head} className="border-b border-rule px-2 py-1 font-medium">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {marks.map((mark) => {
            const cut = cuts.get(mark.id);
            return (
              <Row
                key={mark.id}
                mark={mark}
                source={source}
                at={grid ? position(Math.round(beatsAt(grid, mark.start) * 4) / 4, grid.beatsPerBar) : (mark.start / rate).toFixed(3)}
                length={`${((mark.end - mark.start) / rate).toFixed(2)} s`}
                name={cut?.name ?? ""}
                role={cut?.role ? `${ROLES[cut.role].glyph} ${ROLES[cut.role].label}` : "–"}
                pad={(where.get(mark.id) ?? []).map((index) => `${names[index % PAGE]}${index >= PAGE ? `, p. ${Math.floor(index / PAGE) + 1}` : ""}`).join("; ") || "–"}
                on={chosen.includes(mark.id)}
              />
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

interface RowProps {
  mark: SliceMark;
  source: Source;
  at: string;
  length: string;
  name: string;
  role: string;
  pad: string;
  on: boolean;
}

const Row = memo(function Row({ mark, source, at, length, name, role, pad, on }: RowProps) {
  const row = useRef<HTMLTableRowElement>(null);
  useEffect(() => {
    if (on) row.current?.scrollIntoView({ block: "nearest" });
  }, [on]);
  const cell = "border-b border-rule px-2 py-[4px]";
  return (
    <tr
      ref={row}
      data-slice={mark.id}
      aria-selected={on}
      draggable
      onDragStart={(event) => event.dataTransfer.setData("text/cut", `${source.id}/${mark.id}`)}
      onClick={(event) => chooseSlice(source, mark.id, event.shiftKey || event.ctrlKey || event.metaKey)}
      className={`cursor-pointer ${on ? "bg-nowtint" : "hover:bg-well"}`}
    >
      <td className={cell}>{mark.number}</td>
      <td className={cell}>{at}</td>
      <td className={cell}>{length}</td>
      <td className={`${cell} font-semibold`}>{name || <span className="font-normal text-ink2">–</span>}</td>
      <td className={cell}>
        <span style={{ color: role === "–" ? undefined : mark.color }}>{role}</span>
      </td>
      <td className={cell}>{pad}</td>
    </tr>
  );
});
