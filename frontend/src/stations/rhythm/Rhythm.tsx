/** Rhythm: the pattern, large. */
import { useRef } from "react";

import type { Pattern, Pocket } from "../../api/types";
import { usePocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { toggleTaking, useTaking } from "../../app/taking";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { Moves, Sentence } from "./Moves";
import { addPattern } from "./PatternMenu";
import { PatternGrid } from "./PatternGrid";
import { grouped, type Lane, lanesOf, withNotes } from "./lanes";
import { useHeight } from "../../wave/useCanvas";

export function Rhythm() {
  const pocket = usePocket((s) => s.open?.pocket);
  const id = useView((s) => s.pattern);
  if (!pocket) return null;
  const pattern = id ? pocket.patterns[id] : undefined;
  if (!pattern)
    return (
      <div className="m-4 rounded-[4px] border border-dashed border-ink2 p-6 text-ink2">
        <p className="mb-3">
          No pattern yet. Take the rhythm a break already has with Original rhythm in Chop, or start an empty one and
          step hits in.
        </p>
        <Button tone="solid" onClick={() => void addPattern(null)}>
          New pattern
        </Button>
      </div>
    );
  return <Large pocket={pocket} pattern={pattern} />;
}

function Large({ pocket, pattern }: { pocket: Pocket; pattern: Pattern }) {
  const page = useView((s) => s.page);
  const chosen = useView((s) => s.pads);
  const box = useRef<HTMLDivElement>(null);
  const height = useHeight(box);
  const lanes = lanesOf(pocket, pattern, page, chosen, true);
  const unfolded = useView((s) => s.unfolded);
  const notes = useView((s) => s.notes);
  const groups = grouped(lanes, unfolded, chosen);
  const room = Math.floor((height - 22) / Math.max(1, withNotes(groups, pattern, notes).length));
  return (
    <div className="flex min-h-0 grow flex-col px-4 pt-2.5 pb-2">
      <div className="mb-2 flex items-center gap-1.5">
        <Take />
        <NoteLanes lanes={groups} />
        <span className="w-2" />
        <Moves pattern={pattern} pocket={pocket} />
      </div>
      <Sentence pattern={pattern} pocket={pocket} />
      <div ref={box} className="min-h-0 grow">
        <div
          className="thin-scroll max-h-full overflow-auto rounded-[4px] border-[1.5px] border-ink bg-card"
          tabIndex={-1}
        >
          {lanes.length ? (
            <PatternGrid
              pattern={pattern}
              lanes={lanes}
              row={Math.min(44, Math.max(notes.length ? 17 : 22, room))}
              heading
            />
          ) : (
            <p className="p-6 text-ink2">Nothing on the pads of this page: put some chops there first, in Chop.</p>
          )}
        </div>
      </div>
      <p className="pt-1.5 text-[12px] text-ink2">
        Click a step to set a hit, again to remove it. Drag a hit up or down for its velocity, drag along a lane to
        paint. Hits off the grid stand where they were played.
      </p>
    </div>
  );
}

/** Records what is played on the pads. */
function Take() {
  const { state, beat, taken } = useTaking();
  return (
    <Button
      tone={state === "off" ? "solid" : "play"}
      aria-pressed={state !== "off"}
      hint="What you play on the pads goes into the pattern, exactly where you play it"
      keys="F9"
      onClick={toggleTaking}
    >
      {state === "off"
        ? "Record pads"
        : state === "counting"
          ? `Count-in ${beat}`
          : `Recording, ${taken} ${taken === 1 ? "hit" : "hits"}`}
    </Button>
  );
}

/** Which lanes are unfolded into rows of notes. */
function NoteLanes({ lanes }: { lanes: Lane[] }) {
  const notes = useView((s) => s.notes);
  const able = lanes.filter((lane) => !lane.group && !lane.empty);
  return (
    <Menu
      label="Lanes with notes"
      trigger={<Button hint="Unfold a lane into rows of its notes: chords, melodies">Notes ▾</Button>}
      items={able.map((lane) => ({
        label: lane.name,
        checked: notes.includes(lane.pad),
        onSelect: () =>
          useView
            .getState()
            .look({ notes: notes.includes(lane.pad) ? notes.filter((pad) => pad !== lane.pad) : [...notes, lane.pad] }),
      }))}
    />
  );
}
