/** The slices of a find in a table: sort, filter, choose, hear, drag to a pad. Only the rows in view are drawn. */
import { useVirtualizer } from "@tanstack/react-virtual";
import { ToggleGroup } from "radix-ui";
import { memo, useDeferredValue, useEffect, useMemo, useRef, useState } from "react";

import type { Role, Source } from "../../api/types";
import { chooseSlice, deleteCuts, playSlice, slicesToPads } from "../../app/actions";
import { chosenIntoTray, nameSlice, setRole } from "../../app/chopping";
import { useFacts, wantFacts } from "../../app/facts";
import { usePocket } from "../../app/pocket";
import { setSliceOrder } from "../../app/sliceOrder";
import { type TableView, useView } from "../../app/view";
import { EditableName } from "../../design/EditableName";
import { Context } from "../../design/Menu";
import { ROLE_NAMES, ROLES } from "../../design/roles";
import { PAGE, useKeyNames } from "../../pads/keys";
import { useLines } from "../../wave/lines";
import { Trim } from "./Trim";
import { arranged, COLUMNS, sliceRows, type SliceRow } from "./rows";

const ROW = 24;

export function SliceTable({ source, rate }: { source: Source; rate: number }) {
  const pads = usePocket((s) => s.open?.pocket.pads);
  const chosen = useView((s) => s.cuts);
  const grid = useLines(source);
  const table = useView((s) => s.table);
  const show = (change: Partial<TableView>) =>
    useView.getState().look({ table: { ...useView.getState().table, ...change } });
  const facts = useFacts((s) => s.facts);
  const round = useFacts((s) => s.round);
  // A drag moves a cut many times a second; the table may follow a moment later.
  const shown = useDeferredValue(source);
  useEffect(() => {
    const timer = window.setTimeout(() => void wantFacts(source), 150);
    return () => window.clearTimeout(timer);
  }, [source]);
  // The facts are one map that grows: the round says that it did.
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const rows = useMemo(() => sliceRows(shown, pads ?? {}, grid, rate, facts), [shown, pads, grid, rate, facts, round]);
  const list = useMemo(() => arranged(rows, table), [rows, table]);
  useEffect(
    () =>
      setSliceOrder(
        source.id,
        list.map((row) => row.mark.id),
      ),
    [source.id, list],
  );
  if (!source.cuts.length)
    return (
      <p className="rounded-[4px] border border-dashed border-ink2 p-4 text-ink2">
        No slices yet. Press Cut, double click on the wave to cut by hand, or press N while it plays.
      </p>
    );
  return (
    <div className="flex min-h-0 grow flex-col">
      <div className="flex items-center gap-2 pb-1 text-[12px]">
        <input
          aria-label="Show slices named"
          placeholder="name or number"
          value={table.text}
          onChange={(event) => show({ text: event.target.value })}
          className="w-32 rounded-[3px] border border-rule bg-card px-2 py-[2px] placeholder:text-ink2"
        />
        <RoleChips roles={table.roles} onChange={(roles) => show({ roles })} label="Show roles; none for all" />
        <span className="text-ink2">{list.length === rows.length ? "" : `${list.length} of ${rows.length}`}</span>
        <span className="grow" />
        <Trim disabled={chosen.length !== 1} />
      </div>
      <Rows list={list} source={source} sorting={table} onSort={show} />
    </div>
  );
}

/** Apart from what stands above it: scrolling draws rows and nothing else. */
const Rows = memo(function Rows({
  list,
  source,
  sorting,
  onSort,
}: {
  list: SliceRow[];
  source: Source;
  sorting: TableView;
  onSort: (next: Pick<TableView, "by" | "down">) => void;
}) {
  const chosen = useView((s) => s.cuts);
  const names = useKeyNames((s) => s.names);
  const box = useRef<HTMLDivElement>(null);
  const on = useMemo(() => new Set(chosen), [chosen]);
  const virtual = useVirtualizer({
    count: list.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 6,
    useFlushSync: false,
  });
  const last = chosen.at(-1);
  useEffect(() => {
    const at = list.findIndex((row) => row.mark.id === last);
    if (at >= 0) virtual.scrollToIndex(at, { align: "auto" });
    // When the choice changes, not whenever the list does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [last]);
  const items = virtual.getVirtualItems();
  const above = items[0]?.start ?? 0;
  const below = virtual.getTotalSize() - (items.at(-1)?.end ?? 0);
  return (
    <div ref={box} className="thin-scroll min-h-0 grow overflow-auto" tabIndex={0} role="region" aria-label="Slices">
      <table className="w-full table-fixed border-collapse text-[12px]" aria-rowcount={list.length + 1}>
        <thead className="sticky top-0 z-10 bg-paper text-left text-[11px] text-ink2">
          <tr>
            {COLUMNS.map(({ by, head, width, help }) => (
              <th
                key={head}
                title={help}
                className={`border-b border-rule px-1.5 py-[3px] font-medium ${width}`}
                aria-sort={by && sorting.by === by ? (sorting.down ? "descending" : "ascending") : undefined}
              >
                {by ? (
                  <button
                    type="button"
                    className="hover:text-ink"
                    onClick={() => onSort({ by, down: sorting.by === by && !sorting.down })}
                  >
                    {head}
                    {sorting.by === by ? (sorting.down ? " ▾" : " ▴") : ""}
                  </button>
                ) : (
                  head
                )}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {above > 0 ? <tr aria-hidden style={{ height: above }} /> : null}
          {items.map((item) => {
            const row = list[item.index] as SliceRow;
            return (
              <Row
                key={row.mark.id}
                row={row}
                index={item.index}
                source={source}
                pads={row.pads.map((index) => padName(names, index)).join(", ")}
                on={on.has(row.mark.id)}
              />
            );
          })}
          {below > 0 ? <tr aria-hidden style={{ height: below }} /> : null}
        </tbody>
      </table>
    </div>
  );
});

export function padName(names: string[], index: number): string {
  return `${names[index % PAGE]}${index >= PAGE ? ` p${Math.floor(index / PAGE) + 1}` : ""}`;
}

/** Roles to show, as glyphs. */
export function RoleChips({
  roles,
  onChange,
  label,
}: {
  roles: Role[];
  onChange: (roles: Role[]) => void;
  label: string;
}) {
  return (
    <ToggleGroup.Root
      type="multiple"
      aria-label={label}
      value={roles}
      onValueChange={(value) => onChange(value as Role[])}
      className="flex gap-1"
    >
      {ROLE_NAMES.map((role) => (
        <ToggleGroup.Item
          key={role}
          value={role}
          aria-label={ROLES[role].label}
          title={ROLES[role].label}
          className="rounded-[3px] border border-rule bg-card px-1.5 py-[1px] aria-pressed:border-ink aria-pressed:bg-well"
        >
          <span style={{ color: ROLES[role].color }}>{ROLES[role].glyph}</span>
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}

const Row = memo(
  function Row({
    row,
    index,
    source,
    pads,
    on,
  }: {
    row: SliceRow;
    index: number;
    source: Source;
    pads: string;
    on: boolean;
  }) {
    const cell = "truncate border-b border-rule px-1.5";
    const [renaming, setRenaming] = useState(false);
    const items = () => {
      if (!useView.getState().cuts.includes(row.mark.id)) chooseSlice(source, row.mark.id, "one");
      const count = useView.getState().cuts.length;
      const them = count > 1 ? `${count} slices` : "it";
      return [
        { label: "Play it", keys: "Enter", onSelect: () => playSlice(source, row.mark.id) },
        { label: `Put ${them} on pads`, keys: "P", onSelect: () => void slicesToPads(false) },
        { label: `Set ${them} aside in the tray`, keys: "T", onSelect: chosenIntoTray },
        {
          label: "Rename",
          keys: "double click",
          disabled: count > 1,
          onSelect: () => setTimeout(() => setRenaming(true)),
        },
        null,
        ...ROLE_NAMES.map((role) => ({
          label: (
            <>
              <span style={{ color: ROLES[role].color }}>{ROLES[role].glyph}</span> {ROLES[role].label}
            </>
          ),
          checked: row.role === role,
          onSelect: () => setRole(source, role),
        })),
        null,
        { label: count > 1 ? `Delete ${count} cuts` : "Delete its cut", keys: "Delete", onSelect: deleteCuts },
      ];
    };
    return (
      <Context label={`Slice ${row.mark.number}: what to do`} items={items}>
        <tr
          data-slice={row.mark.id}
          aria-selected={on}
          aria-rowindex={index + 2}
          draggable
          onDragStart={(event) => event.dataTransfer.setData("text/cut", `${source.id}/${row.mark.id}`)}
          onClick={(event) =>
            chooseSlice(
              source,
              row.mark.id,
              event.shiftKey ? "range" : event.ctrlKey || event.metaKey ? "toggle" : "one",
            )
          }
          style={{ height: ROW }}
          className={`cursor-pointer ${on ? "bg-nowtint" : "hover:bg-well"}`}
        >
          <td className={cell}>{row.mark.number}</td>
          <td className={`${cell} tabular-nums`}>{row.at}</td>
          <td className={cell}>{row.length}</td>
          <td className={`${cell} ${row.own ? "font-semibold" : ""}`} onDoubleClick={() => setRenaming(true)}>
            <EditableName
              label={`Name of slice ${row.mark.number}`}
              value={row.name}
              mayBeEmpty
              editing={renaming}
              onEditing={setRenaming}
              onChange={(name) => nameSlice(source, row.mark.id, name)}
            />
          </td>
          <td className={cell}>
            {row.role ? (
              <span style={{ color: row.mark.color }}>
                {ROLES[row.role].glyph} {ROLES[row.role].label}
              </span>
            ) : (
              "–"
            )}
          </td>
          <td className={cell}>{row.clean}</td>
          <td className={cell}>{row.pitch}</td>
          <td className={cell}>{row.level}</td>
          <td className={cell}>{pads || "–"}</td>
        </tr>
      </Context>
    );
  },
  (a, b) =>
    a.on === b.on && a.index === b.index && a.pads === b.pads && a.source.id === b.source.id && same(a.row, b.row),
);

function same(a: SliceRow, b: SliceRow): boolean {
  return (
    a === b ||
    (a.mark.id === b.mark.id &&
      a.mark.number === b.mark.number &&
      a.at === b.at &&
      a.length === b.length &&
      a.name === b.name &&
      a.own === b.own &&
      a.role === b.role &&
      a.clean === b.clean &&
      a.pitch === b.pitch &&
      a.level === b.level)
  );
}
