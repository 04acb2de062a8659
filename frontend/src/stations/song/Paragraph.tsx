/** A section of the song: its title and what can be done with it in the margin, its bars as lines. */
import { useState } from "react";

import type { Pattern, Pocket, Section, Thread } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { playSong, type Stretch } from "../../app/playing";
import { print } from "../../app/printing";
import { ordered } from "../../app/pocket";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { EditableName } from "../../design/EditableName";
import { Dots, Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";
import { ROLES } from "../../design/roles";
import type { Control } from "./controls";
import { SongLine } from "./SongLine";

const BARS = 8;

interface Props {
  pocket: Pocket;
  section: Section;
  turns: Stretch[];
  place: number;
  control: Control | null;
  thread: Thread | null;
}

export function Paragraph({ pocket, section, turns, place, control, thread }: Props) {
  const [renaming, setRenaming] = useState(false);
  const bars = useParameter("section", "bars");
  const repeats = useParameter("section", "repeats");
  const chosen = useView((s) => s.section === section.id);
  const patterns = section.patterns.map((key) => pocket.patterns[key]).filter((p): p is Pattern => Boolean(p));
  const set = (
    change: Partial<Pick<Section, "name" | "bars" | "repeats" | "patterns" | "muted">>,
    gesture: string | null = null,
  ) => void edit({ type: "set_section", section: section.id, ...change }, gesture);
  const first = turns[0]?.at ?? 0;
  const count = pocket.song.length;
  // A repeated section is written once, unless a thread lies over it: then each time is another.
  const written = control ? turns : turns.slice(0, 1);

  return (
    <section
      aria-label={`Section ${section.name}`}
      data-section={section.id}
      className="grid grid-cols-[150px_minmax(0,1fr)] gap-3"
    >
      <div className="flex min-w-0 flex-col gap-1 text-[12px]">
        <div className="flex items-center gap-1">
          <EditableName
            className="title block min-w-0 truncate text-[15px]"
            label="Name of the section"
            value={section.name}
            editing={renaming}
            onEditing={setRenaming}
            onChange={(name) => set({ name })}
          />
          <span className="grow" />
          <Dots
            name={`Menu of ${section.name}`}
            label={`${section.name}: what to do`}
            items={[
              { label: "Play from here", onSelect: () => playSong(first) },
              { label: "Rename", focuses: true, onSelect: () => setTimeout(() => setRenaming(true)) },
              {
                label: "One more like it",
                onSelect: () =>
                  void edit({
                    type: "add_section",
                    name: `${section.name.slice(0, 70)}, again`,
                    copy_of: section.id,
                    at: place + 1,
                  }),
              },
              {
                label: "Move up",
                disabled: place === 0,
                onSelect: () => void edit({ type: "move_section", section: section.id, to: place - 1 }),
              },
              {
                label: "Move down",
                disabled: place === count - 1,
                onSelect: () => void edit({ type: "move_section", section: section.id, to: place + 1 }),
              },
              {
                label: "Print it among the finds",
                onSelect: () => void print({ what: "song", sections: [section.id], master: true, ending: "ring" }),
              },
              null,
              { label: "Remove", onSelect: () => void edit({ type: "remove_section", section: section.id }) },
            ]}
          />
        </div>
        <div className="flex items-center gap-1.5">
          <NumberField
            parameter={bars}
            label={`Bars of ${section.name}`}
            value={section.bars}
            onChange={(value, gesture) => set({ bars: Math.round(value) }, gesture)}
          />
          <span aria-hidden className="text-ink2">
            ×
          </span>
          <NumberField
            parameter={repeats}
            showUnit={false}
            label={`How often ${section.name} is played`}
            value={section.repeats}
            onChange={(value, gesture) => set({ repeats: Math.round(value) }, gesture)}
          />
        </div>
        <div className="flex flex-wrap gap-1">
          <Menu
            label={`Patterns of ${section.name}`}
            trigger={<Button className="!px-1.5 !py-[1px]">Patterns ▾</Button>}
            items={ordered(pocket.patterns).map((pattern) => ({
              label: pattern.name,
              checked: section.patterns.includes(pattern.id),
              onSelect: () =>
                set({
                  patterns: section.patterns.includes(pattern.id)
                    ? section.patterns.filter((key) => key !== pattern.id)
                    : [...section.patterns, pattern.id],
                }),
            }))}
          />
          <Mutes pocket={pocket} section={section} patterns={patterns} set={set} />
        </div>
      </div>
      <div
        className={`flex min-w-0 flex-col gap-px overflow-hidden rounded-[4px] border-[1.5px] ${chosen ? "border-ink" : "border-rule"}`}
      >
        {written.flatMap((turn) =>
          Array.from({ length: Math.ceil(section.bars / BARS) }, (_, line) => {
            const from = turn.at + line * BARS * section.beats_per_bar;
            const to = Math.min(turn.at + section.bars * section.beats_per_bar, from + BARS * section.beats_per_bar);
            return (
              <SongLine
                key={`${turn.turn} ${line}`}
                pocket={pocket}
                section={section}
                patterns={patterns}
                at={turn.at}
                first={from}
                last={to}
                whole={BARS * section.beats_per_bar}
                control={control}
                thread={thread}
              />
            );
          }),
        )}
        {patterns.length ? null : (
          <p className="px-2 pb-2 text-[12px] text-ink2">Silent: choose what it plays under Patterns.</p>
        )}
      </div>
    </section>
  );
}

/** Pads that are silent in this section. */
function Mutes({
  pocket,
  section,
  patterns,
  set,
}: {
  pocket: Pocket;
  section: Section;
  patterns: Pattern[];
  set: (change: { muted: number[] }) => void;
}) {
  const pads = [...new Set(patterns.flatMap((pattern) => pattern.hits.map((hit) => hit.pad)))]
    .filter((index) => pocket.pads[index])
    .sort((a, b) => a - b);
  const muted = section.muted.filter((index) => pads.includes(index)).length;
  return (
    <Menu
      label={`Silent in ${section.name}`}
      trigger={
        <Button className="!px-1.5 !py-[1px]" hint="Pads that are silent in this section">
          {muted ? `${muted} muted ▾` : "Mutes ▾"}
        </Button>
      }
      items={pads.map((index) => {
        const pad = pocket.pads[index];
        const silent = section.muted.includes(index);
        return {
          label: `${pad?.role ? ROLES[pad.role].glyph : "○"} ${pad?.called ?? ""}`,
          checked: silent,
          onSelect: () =>
            set({ muted: silent ? section.muted.filter((one) => one !== index) : [...section.muted, index] }),
        };
      })}
    />
  );
}
