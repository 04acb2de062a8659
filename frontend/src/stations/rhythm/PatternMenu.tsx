import { useRef, useState } from "react";

import { choosePattern } from "../../app/actions";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { saveMidi, takeMidi } from "../../app/midiFiles";
import { print } from "../../app/printing";
import { ordered, usePocket } from "../../app/pocket";
import type { Pattern, Pocket } from "../../api/types";
import { Button } from "../../design/Button";
import { EditableName } from "../../design/EditableName";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";

/** Name, length and the list of patterns. */
export function PatternHead({ pocket, pattern }: { pocket: Pocket; pattern: Pattern | null }) {
  const [renaming, setRenaming] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const bars = useParameter("pattern", "bars");
  return (
    <>
      {pattern ? (
        <EditableName
          className="title block truncate text-[14.5px]"
          label="Name of the pattern"
          value={pattern.name}
          editing={renaming}
          onEditing={setRenaming}
          onChange={(name) => void edit({ type: "set_pattern", pattern: pattern.id, name })}
        />
      ) : (
        <span className="title text-[14.5px]">No pattern</span>
      )}
      {pattern ? (
        <NumberField
          parameter={bars}
          label="Length of the pattern in bars"
          value={pattern.bars}
          onChange={(value, gesture) =>
            void edit({ type: "set_pattern", pattern: pattern.id, bars: Math.round(value) }, gesture)
          }
          className="w-[58px] text-[12px]"
        />
      ) : null}
      {pattern ? (
        <Menu
          label="Metre of the pattern"
          trigger={
            <button
              type="button"
              aria-label={`${pattern.beats_per_bar}/4, metre of the pattern`}
              className="rounded-[2px] px-1 text-[12px] tabular-nums hover:bg-well"
            >
              {pattern.beats_per_bar}/4
            </button>
          }
          items={[1, 2, 3, 4, 5, 6, 7, 9, 11].map((beats) => ({
            label: `${beats}/4`,
            checked: beats === pattern.beats_per_bar,
            onSelect: () => void edit({ type: "set_pattern", pattern: pattern.id, beats_per_bar: beats }),
          }))}
        />
      ) : null}
      <Menu
        label="Patterns"
        trigger={<Button>Patterns ▾</Button>}
        items={[
          ...ordered(pocket.patterns).map((p) => ({
            label: p.variant_of ? `${p.name} (variant of ${pocket.patterns[p.variant_of]?.name ?? "?"})` : p.name,
            checked: p.id === pattern?.id,
            onSelect: () => void choosePattern(p.id),
          })),
          ...(pattern ? [null] : []),
          { label: "New, empty", onSelect: () => void addPattern(null) },
          { label: "From a MIDI file", onSelect: () => picker.current?.click() },
          ...(pattern
            ? [
                {
                  label: "Print it among the finds",
                  onSelect: () =>
                    void print({ what: "pattern", pattern: pattern.id, sections: [], master: true, ending: "wrap" }),
                },
                { label: "Save as MIDI", onSelect: () => saveMidi(pattern.id) },
                { label: "Copy this one", onSelect: () => void addPattern(pattern) },
                {
                  label: "Variant that goes along with this one",
                  onSelect: () => void addVariant(pattern, Object.keys(pocket.patterns).length),
                },
                ...(pattern.variant_of
                  ? [
                      {
                        label: `Independent of ${pocket.patterns[pattern.variant_of]?.name ?? "its original"}`,
                        onSelect: () => void edit({ type: "unlink_pattern", pattern: pattern.id }),
                      },
                    ]
                  : []),
                { label: "Rename", onSelect: () => setTimeout(() => setRenaming(true)) },
                { label: "Remove this one", onSelect: () => void removePattern(pattern.id) },
              ]
            : []),
        ]}
      />
      <input
        ref={picker}
        type="file"
        accept=".mid,.midi,audio/midi"
        aria-label="MIDI file"
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) void takeMidi(file);
          event.target.value = "";
        }}
      />
    </>
  );
}

export async function addPattern(copy: Pattern | null): Promise<void> {
  const count = Object.keys(usePocket.getState().open?.pocket.patterns ?? {}).length;
  const name = copy ? `${copy.name.slice(0, 70)}, again` : `Pattern ${count + 1}`;
  if (await edit({ type: "add_pattern", name, bars: copy?.bars ?? 2, copy_of: copy?.id ?? null }))
    await choosePattern(newest());
}

async function addVariant(pattern: Pattern, count: number): Promise<void> {
  const name = `${pattern.name.slice(0, 66)}, variant ${count}`;
  if (await edit({ type: "add_variant", pattern: pattern.id, name })) await choosePattern(newest());
}

async function removePattern(id: string): Promise<void> {
  if (await edit({ type: "remove_pattern", pattern: id })) await choosePattern(newest());
}

function newest(): string | null {
  const open = usePocket.getState().open;
  return open ? (ordered(open.pocket.patterns).at(-1)?.id ?? null) : null;
}
