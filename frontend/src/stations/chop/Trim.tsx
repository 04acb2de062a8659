/** The edges of the chosen slice, moved by a sample, by milliseconds or to a transient. */
import { useState } from "react";

import { type Edge, edgeToTransient, nudgeCut } from "../../app/actions";
import { Button } from "../../design/Button";
import { newGesture } from "../../design/NumberField";
import { Menu } from "../../design/Menu";
import { Toggle } from "../../design/Toggle";
import { useView } from "../../app/view";

const UNITS = [
  { label: "1 sample", samples: 1 },
  { label: "1 ms", samples: 44 },
  { label: "10 ms", samples: 441 },
  { label: "transient", samples: 0 },
];

export function Trim({ disabled }: { disabled: boolean }) {
  const [unit, setUnit] = useState(1);
  const { label, samples } = UNITS[unit] as (typeof UNITS)[number];
  const move = (edge: Edge, way: 1 | -1) =>
    samples ? nudgeCut(way * samples, newGesture(), edge) : edgeToTransient(way, edge);
  const hear = useView((s) => s.hearMoves);
  return (
    <span className="inline-flex items-center gap-1 text-[12px]">
      <Toggle
        on={hear}
        onChange={(on) => useView.getState().look({ hearMoves: on })}
        hint="Play the slice whenever an edge of it is moved"
      >
        Hear
      </Toggle>
      <Menu
        label="Trim by"
        trigger={<Button hint="What a step of the edges is">Trim: {label} ▾</Button>}
        items={UNITS.map((one, i) => ({ label: one.label, checked: i === unit, onSelect: () => setUnit(i) }))}
      />
      {(["start", "end"] as const).map((edge) => (
        <span key={edge} className="inline-flex items-center">
          <Button
            tone="quiet"
            className="!px-1"
            disabled={disabled}
            keys={edge === "start" ? "←" : "Ctrl ←"}
            hint={`${edge === "start" ? "Start" : "End"} earlier`}
            aria-label={`${edge === "start" ? "Start" : "End"} earlier`}
            onClick={() => move(edge, -1)}
          >
            ◂
          </Button>
          <span className={disabled ? "text-ink2" : ""}>{edge}</span>
          <Button
            tone="quiet"
            className="!px-1"
            disabled={disabled}
            keys={edge === "start" ? "→" : "Ctrl →"}
            hint={`${edge === "start" ? "Start" : "End"} later`}
            aria-label={`${edge === "start" ? "Start" : "End"} later`}
            onClick={() => move(edge, 1)}
          >
            ▸
          </Button>
        </span>
      ))}
    </span>
  );
}
