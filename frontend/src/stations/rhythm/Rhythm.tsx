/** Rhythm: the pattern, large. */
import { useRef } from "react";

import type { Pattern, Pocket } from "../../api/types";
import { usePocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { toggleTaking, useTaking } from "../../app/taking";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { loopPlayer, useLoop } from "../../audio/loop";
import { Moves } from "./Moves";
import { addPattern } from "./PatternMenu";
import { PatternGrid } from "./PatternGrid";
import { Tools, ToolTabs } from "./tools/Tools";
import { VelocityStrip } from "./VelocityStrip";
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
  const { look } = useView.getState();
  const groups = grouped(lanes, unfolded, chosen);
  const room = Math.floor((height - 22) / Math.max(1, withNotes(groups, pattern, notes).length));
  const scroller = useRef<HTMLDivElement>(null);
  const zoom = useView((s) => s.zoom);
  const part = useLoop((s) => s.part);
  const next = useLoop((s) => s.next);
  const loopLines = usePocket((s) =>
    s.open?.sounds?.loop?.pattern === pattern.id ? s.open.sounds.loop.lines : undefined,
  );
  const struck = chosen.find((pad) => pattern.hits.some((hit) => hit.pad === pad)) ?? null;
  return (
    <div className="flex min-h-0 grow flex-col px-4 pt-2.5 pb-2">
      <div className="mb-1.5 flex items-center gap-1.5">
        <Take />
        <NoteLanes lanes={groups} />
        <Moves pattern={pattern} pocket={pocket} />
        <span className="w-1" />
        <ToolTabs />
        <span className="grow" />
        {next ? <span className="text-[12px] text-now">{pocket.patterns[next]?.name} at the next bar</span> : null}
        {part ? (
          <Button hint="It goes round in the part that was chosen on the bars" onClick={() => loopPlayer.setPart(null)}>
            All of it
          </Button>
        ) : null}
        <Zoom zoom={zoom} />
      </div>
      <Tools pattern={pattern} pocket={pocket} />
      <div ref={box} className="min-h-0 grow">
        <div
          ref={scroller}
          className="thin-scroll max-h-full overflow-auto rounded-[4px] border-[1.5px] border-ink bg-card"
          tabIndex={-1}
          onWheel={(event) => {
            if (event.ctrlKey) look({ zoom: zoomed(zoom, event.deltaY < 0 ? 1.25 : 0.8) });
          }}
        >
          {lanes.length ? (
            <PatternGrid
              pattern={pattern}
              lanes={lanes}
              row={Math.min(44, Math.max(notes.length ? 17 : 22, room))}
              heading
              scroller={scroller}
            />
          ) : (
            <p className="p-6 text-ink2">Nothing on the pads of this page: put some chops there first, in Chop.</p>
          )}
        </div>
      </div>
      {zoom === 1 && pattern.hits.length ? (
        <VelocityStrip
          pattern={pattern}
          pad={struck}
          lines={loopLines}
          name={struck === null ? "all lanes" : (pocket.pads[struck]?.called ?? "")}
        />
      ) : null}
      <p className="truncate pt-1 text-[11px] text-ink2">
        Click a step to set a hit, again to remove it; drag it up or down for velocity, sideways to move it. Shift
        chooses; a drag on the bars loops that part.
      </p>
    </div>
  );
}

function zoomed(zoom: number, factor: number): number {
  return Math.min(16, Math.max(1, zoom * factor < 1.15 ? 1 : zoom * factor));
}

function Zoom({ zoom }: { zoom: number }) {
  const { look } = useView.getState();
  return (
    <span role="group" aria-label="Zoom" className="flex gap-1">
      <Button aria-label="Wider" disabled={zoom <= 1} onClick={() => look({ zoom: zoomed(zoom, 1 / 1.5) })}>
        −
      </Button>
      <Button aria-label="Closer" hint="Ctrl and the wheel, too" onClick={() => look({ zoom: zoomed(zoom, 1.5) })}>
        +
      </Button>
    </span>
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
