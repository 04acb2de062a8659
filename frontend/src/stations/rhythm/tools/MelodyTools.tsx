/** Notes of the chosen lane: which rows it has, chords turned over and broken up, drawn to what fits. */
import { edit } from "../../../app/edits";
import { useView } from "../../../app/view";
import { Button } from "../../../design/Button";
import { Menu } from "../../../design/Menu";
import { Toggle } from "../../../design/Toggle";
import { chosenIn } from "../hits";
import { RATES } from "../rates";
import type { ToolProps } from "./Tools";

const ORDERS = ["up", "down", "up and down", "as played"] as const;

export function MelodyTools({ pattern, pocket }: ToolProps) {
  const { pads, notes, keyRows, asChord, hits: ids } = useView();
  const { look } = useView.getState();
  const pad = pads.find((index) => pocket.pads[index]);
  const name = pad === undefined ? null : pocket.pads[pad]?.called;
  const chosen = chosenIn(pattern, ids);
  const whose = chosen.length
    ? { hits: chosen.map((hit) => hit.id) }
    : pad === undefined
      ? { pads: notes }
      : { pads: [pad] };
  const on = chosen.length ? `${chosen.length} chosen notes` : (name ?? "the lanes with notes");
  const unfolded = pad !== undefined && notes.includes(pad);
  return (
    <>
      <Toggle
        on={unfolded}
        hint={name ? `${name} in rows of its notes` : "Choose a lane by its name first"}
        onChange={() =>
          pad !== undefined && look({ notes: unfolded ? notes.filter((one) => one !== pad) : [...notes, pad] })
        }
      >
        {name ? `Rows of ${name}` : "Rows of notes"}
      </Toggle>
      <Toggle
        on={keyRows}
        hint={pocket.key ? "Only rows of notes that lie in the pocket's key" : "The pocket has no key yet"}
        onChange={(value) => look({ keyRows: value })}
      >
        Only the key
      </Toggle>
      <Toggle
        on={asChord}
        hint={
          pattern.chords.length ? "A click puts the chord that holds there" : "Write chords first: Chords, beside this"
        }
        onChange={(value) => look({ asChord: value })}
      >
        Put chords
      </Toggle>
      <Button
        hint={`${on}: the lowest note an octave up`}
        onClick={() => void edit({ type: "turn_chords", pattern: pattern.id, ...whose, up: true })}
      >
        Turn up
      </Button>
      <Button
        hint={`${on}: the highest note an octave down`}
        onClick={() => void edit({ type: "turn_chords", pattern: pattern.id, ...whose, up: false })}
      >
        Turn down
      </Button>
      <Menu
        label="Arpeggio"
        trigger={<Button hint={`${on}: each chord note by note`}>Arpeggio ▾</Button>}
        items={ORDERS.flatMap((order, i) => [
          ...(i ? [null] : []),
          ...RATES.filter(({ step }) => step <= 0.5 && step !== 0.375).map(({ step, label }) => ({
            label: `${order}, ${label}`,
            onSelect: () => void edit({ type: "break_chords", pattern: pattern.id, ...whose, order, step }),
          })),
        ])}
      />
      <Menu
        label="Snap notes"
        trigger={<Button hint={`${on}: to the nearest that fits`}>Snap ▾</Button>}
        items={[
          {
            label: "To the pocket's key",
            disabled: !pocket.key,
            onSelect: () => void edit({ type: "snap_notes", pattern: pattern.id, ...whose, to: "key" }),
          },
          {
            label: "To the chords of the pattern",
            disabled: !pattern.chords.length,
            onSelect: () => void edit({ type: "snap_notes", pattern: pattern.id, ...whose, to: "chords" }),
          },
        ]}
      />
      <Menu
        label="Slide"
        trigger={<Button hint={`${on}: how long each note slides from the one before`}>Slide ▾</Button>}
        items={[0, 40, 100, 250].map((ms) => ({
          label: ms ? `${ms} ms` : "None",
          onSelect: () =>
            pad !== undefined &&
            slide(
              pattern.id,
              pad,
              ms,
              chosen.map((hit) => hit.id),
            ),
        }))}
      />
    </>
  );
}

/** Slides are the pad's glide, for it as a whole or for some hits alone. */
function slide(pattern: string, pad: number, ms: number, hits: string[]): void {
  const own = ms ? { glide: ms, voices: "last" } : { glide: null, voices: null };
  if (hits.length) void edit({ type: "set_hits", pattern, hits, own });
  else
    void edit({
      type: "set_pads",
      pads: [pad],
      sound: ms ? { glide: ms, voices: "last" } : { glide: 0, voices: "poly" },
    });
}
