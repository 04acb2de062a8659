import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { useSounding, voices } from "../../audio/voices";
import { Context, type Item } from "../../design/Menu";
import { Name } from "../../design/Name";
import { roleColor, ROLES } from "../../design/roles";
import type { Pattern } from "../../api/types";
import { PAGE, useKeyNames } from "../../pads/keys";
import { showInChop } from "../../pads/choosing";
import type { Lane } from "./lanes";

/** The names beside the lanes: pressed, a lane sounds and its pad is chosen; a group folds or unfolds. */
export function LaneNames({
  pattern,
  lanes,
  row,
  width,
  top,
}: {
  pattern: Pattern;
  lanes: Lane[];
  row: number;
  width: number;
  top: number;
}) {
  const sounding = useSounding((s) => s.sounding);
  const names = useKeyNames((s) => s.names);
  return (
    <div className="shrink-0" style={{ width, paddingTop: top }}>
      {lanes.map((lane) =>
        lane.group ? (
          <GroupName key={lane.group.key} lane={lane} row={row} sounds={lane.pads.some((pad) => sounding[pad])} />
        ) : (
          <Context
            key={`${lane.pad} ${lane.note ?? ""}`}
            label={`${lane.name}: what to do`}
            items={() => laneItems(pattern, lane)}
          >
            <button
              type="button"
              aria-label={`Play ${lane.name}${lane.note ? `, ${signed(lane.note)} semitones` : ""}`}
              className={`flex w-full items-center gap-1 truncate pr-2 pl-3 text-left text-[12px] font-semibold hover:bg-well ${sounding[lane.pad] ? "text-now" : ""}`}
              style={{ height: row }}
              onPointerDown={(event) => {
                if (event.button !== 0) return;
                voices.press(lane.pad);
                useView.getState().look({ pads: [lane.pad] });
              }}
              onPointerUp={() => voices.release(lane.pad)}
            >
              <span aria-hidden className="w-3 shrink-0 text-[11px]" style={{ color: roleColor(lane.role) }}>
                {lane.role ? ROLES[lane.role].glyph : names[lane.pad % PAGE]}
              </span>
              {lane.note === undefined || lane.note === 0 ? <Name text={lane.name} /> : null}
              {lane.note === undefined ? null : (
                <span className="ml-auto text-[11px] font-normal text-ink2">
                  {lane.note === 0 ? "0 st" : signed(lane.note)}
                </span>
              )}
            </button>
          </Context>
        ),
      )}
    </div>
  );
}

function GroupName({ lane, row, sounds }: { lane: Lane; row: number; sounds: boolean }) {
  const { key, folded, count } = lane.group as NonNullable<Lane["group"]>;
  const toggle = () => {
    const { unfolded, look } = useView.getState();
    look({ unfolded: folded ? [...unfolded, key] : unfolded.filter((one) => one !== key) });
  };
  return (
    <button
      type="button"
      aria-expanded={!folded}
      aria-label={`${folded ? "Unfold" : "Fold"} ${lane.name}, ${count} pads`}
      className={`flex w-full items-center gap-1 truncate pr-2 pl-3 text-left text-[12px] font-semibold hover:bg-well ${sounds ? "text-now" : ""}`}
      style={{ height: row }}
      onClick={toggle}
    >
      <span aria-hidden className="w-3 shrink-0 text-[11px]" style={{ color: roleColor(lane.role) }}>
        {lane.role ? ROLES[lane.role].glyph : "–"}
      </span>
      <span className="truncate">
        {lane.name}, {count}
      </span>
      <span aria-hidden className="ml-auto text-[11px]">
        {folded ? "▸" : "▾"}
      </span>
    </button>
  );
}

function signed(note: number): string {
  return note > 0 ? `+${note}` : `\u2212${-note}`;
}

function laneItems(pattern: Pattern, lane: Lane): (Item | null)[] {
  const hits = pattern.hits.filter((hit) => hit.pad === lane.pad).map((hit) => hit.id);
  return [
    { label: "Play it", disabled: lane.empty, onSelect: () => voices.press(lane.pad) },
    {
      label: "Choose its pad",
      disabled: lane.empty,
      onSelect: () => useView.getState().look({ pads: [lane.pad], page: Math.floor(lane.pad / PAGE) }),
    },
    {
      label: "Notes: unfold into rows",
      checked: lane.note !== undefined,
      disabled: lane.empty,
      onSelect: () => {
        const { notes, look } = useView.getState();
        look({ notes: notes.includes(lane.pad) ? notes.filter((pad) => pad !== lane.pad) : [...notes, lane.pad] });
      },
    },
    { label: "Show it in Chop", disabled: lane.empty, onSelect: () => showInChop(lane.pad) },
    null,
    {
      label: "Remove all its hits",
      disabled: !hits.length,
      onSelect: () => void edit({ type: "remove_hits", pattern: pattern.id, hits }),
    },
  ];
}
