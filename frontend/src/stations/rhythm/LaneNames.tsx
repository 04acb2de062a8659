import { edit } from "../../app/edits";
import { print } from "../../app/printing";
import { useView } from "../../app/view";
import { useSounding, voices } from "../../audio/voices";
import { fixed } from "../../design/format";
import { Context, type Item } from "../../design/Menu";
import { Name } from "../../design/Name";
import { roleColor, ROLES } from "../../design/roles";
import type { Pattern } from "../../api/types";
import { PAGE, useKeyNames } from "../../pads/keys";
import { showInChop } from "../../pads/choosing";
import { laneOf, STEP } from "./hits";
import type { Lane } from "./lanes";
import { RATES } from "./rates";

/** The names beside the lanes: pressed, a lane sounds and its pad is chosen; a group folds or unfolds. tools: with mute and solo. */
export function LaneNames({
  pattern,
  lanes,
  row,
  width,
  top,
  tools,
}: {
  pattern: Pattern;
  lanes: Lane[];
  row: number;
  width: number;
  top: number;
  tools: boolean;
}) {
  return (
    <div className="sticky left-0 z-10 shrink-0 bg-card" style={{ width, paddingTop: top }}>
      {lanes.map((lane) => (
        <div
          key={lane.group?.key ?? `${lane.pad} ${lane.note ?? ""}`}
          data-lane={lane.group ? undefined : lane.pad}
          className="flex"
          style={{ height: row }}
        >
          {lane.group ? <GroupName lane={lane} /> : <PadName pattern={pattern} lane={lane} />}
          {tools && (lane.note === undefined || lane.note === 0) && (!lane.group || lane.group.folded) ? (
            <Silencers pattern={pattern} lane={lane} />
          ) : null}
        </div>
      ))}
    </div>
  );
}

function PadName({ pattern, lane }: { pattern: Pattern; lane: Lane }) {
  const sounds = useSounding((s) => s.sounding[lane.pad]);
  const chosen = useView((s) => s.pads.includes(lane.pad));
  const names = useKeyNames((s) => s.names);
  const note = lane.note;
  return (
    <Context label={`${lane.name}: what to do`} items={() => laneItems(pattern, lane)}>
      <button
        type="button"
        aria-label={`Play ${lane.name}${note ? `, ${signed(note)} semitones` : ""}`}
        className={`flex min-w-0 grow items-center gap-1 truncate pr-1 pl-3 text-left text-[12px] hover:bg-well ${chosen ? "font-bold" : "font-semibold"} ${sounds ? "text-now" : ""}`}
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          voices.press(lane.pad);
          const { pads, look } = useView.getState();
          const more = event.ctrlKey || event.metaKey || event.shiftKey;
          const others = pads.filter((pad) => pad !== lane.pad);
          look({ pads: !more ? [lane.pad] : others.length < pads.length ? others : [...pads, lane.pad] });
        }}
        onPointerUp={() => voices.release(lane.pad)}
      >
        <span aria-hidden className="w-3 shrink-0 text-[11px]" style={{ color: roleColor(lane.role) }}>
          {lane.role ? ROLES[lane.role].glyph : names[lane.pad % PAGE]}
        </span>
        {note === undefined || note === 0 ? <Name text={lane.name} /> : null}
        {note === undefined ? (
          <Own pattern={pattern} pad={lane.pad} />
        ) : (
          <span className="ml-auto text-[11px] font-normal text-ink2">{note === 0 ? "0 st" : signed(note)}</span>
        )}
      </button>
    </Context>
  );
}

/** What a lane has of its own: steps, rate, level. */
function Own({ pattern, pad }: { pattern: Pattern; pad: number }) {
  const own = laneOf(pattern, pad);
  const told = [
    own.steps === null && !own.skipped.length
      ? ""
      : `${(own.steps ?? 0) - own.skipped.length || "\u2212" + own.skipped.length}`,
    own.step === STEP ? "" : (RATES.find(({ step }) => Math.abs(step - own.step) < 1e-6)?.short ?? ""),
    own.level ? `${fixed(own.level, 0)} dB` : "",
  ].filter(Boolean);
  return told.length ? (
    <span className="ml-auto shrink-0 text-[11px] font-normal text-ink2">{told.join(" ")}</span>
  ) : null;
}

/** Mute and solo of a lane, or of all lanes of a folded group together. */
function Silencers({ pattern, lane }: { pattern: Pattern; lane: Lane }) {
  const pads = lane.group ? lane.pads : [lane.pad];
  const muted = pads.every((pad) => laneOf(pattern, pad).muted);
  const solo = pads.every((pad) => laneOf(pattern, pad).solo);
  const set = (change: object) => void edit({ type: "set_lanes", pattern: pattern.id, pads, ...change });
  const look = (on: boolean) =>
    `w-[17px] shrink-0 self-center rounded-[2px] text-center text-[11px] leading-[15px] ${on ? "bg-ink font-bold text-card" : "text-ink2 hover:bg-well"}`;
  return (
    <>
      <button
        type="button"
        aria-label={`Mute ${lane.name}`}
        title="Mute: silent in this pattern"
        aria-pressed={muted}
        className={look(muted)}
        onClick={() => set({ muted: !muted })}
      >
        M
      </button>
      <button
        type="button"
        aria-label={`Solo ${lane.name}`}
        title="Solo: all other lanes silent"
        aria-pressed={solo}
        className={`${look(solo)} mr-1`}
        onClick={() => set({ solo: !solo })}
      >
        S
      </button>
    </>
  );
}

function GroupName({ lane }: { lane: Lane }) {
  const { key, folded, count } = lane.group as NonNullable<Lane["group"]>;
  const sounds = useSounding((s) => lane.pads.some((pad) => s.sounding[pad]));
  const toggle = () => {
    const { unfolded, look } = useView.getState();
    look({ unfolded: folded ? [...unfolded, key] : unfolded.filter((one) => one !== key) });
  };
  const items = (): Item[] => [
    { label: "Choose its lanes", onSelect: () => useView.getState().look({ pads: members(lane) }) },
    {
      label: "Level, feel and rate of all of them ...",
      onSelect: () => useView.getState().look({ pads: members(lane), tools: "lane" }),
    },
  ];
  return (
    <Context label={`${lane.name}: what to do`} items={items}>
      <button
        type="button"
        aria-expanded={!folded}
        aria-label={`${folded ? "Unfold" : "Fold"} ${lane.name}, ${count} pads`}
        className={`flex min-w-0 grow items-center gap-1 truncate pr-1 pl-3 text-left text-[12px] font-semibold hover:bg-well ${sounds ? "text-now" : ""}`}
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
    </Context>
  );
}

/** All pads of a group, folded or not. */
function members(lane: Lane): number[] {
  return lane.group?.pads ?? [];
}

function signed(note: number): string {
  return note > 0 ? `+${note}` : `\u2212${-note}`;
}

function laneItems(pattern: Pattern, lane: Lane): (Item | null)[] {
  const hits = pattern.hits.filter((hit) => hit.pad === lane.pad).map((hit) => hit.id);
  const { look } = useView.getState();
  return [
    { label: "Play it", disabled: lane.empty, onSelect: () => voices.press(lane.pad) },
    {
      label: "Choose its pad",
      disabled: lane.empty,
      onSelect: () => look({ pads: [lane.pad], page: Math.floor(lane.pad / PAGE) }),
    },
    { label: "Choose all its hits", disabled: !hits.length, onSelect: () => look({ hits }) },
    { label: "Length, rate, level, feel ...", onSelect: () => look({ pads: [lane.pad], tools: "lane" }) },
    {
      label: "Notes: unfold into rows",
      checked: lane.note !== undefined,
      disabled: lane.empty,
      onSelect: () => {
        const { notes } = useView.getState();
        look({ notes: notes.includes(lane.pad) ? notes.filter((pad) => pad !== lane.pad) : [...notes, lane.pad] });
      },
    },
    {
      label: "Print this lane among the finds",
      disabled: lane.empty || !hits.length,
      onSelect: () =>
        void print({
          what: "pattern",
          pattern: pattern.id,
          pad: lane.pad,
          sections: [],
          master: false,
          ending: "wrap",
        }),
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
