/** A small pad controller that stands in for a device: it sends the same notes and velocities. */
import type { PointerEvent } from "react";

import { canConnect, connectDevices, noteOf, receive, useMidi } from "../audio/midi";
import { useView } from "../app/view";
import { Button } from "../design/Button";
import { PAGE } from "./keys";

export function Controller() {
  const { devices, state, last } = useMidi();
  return (
    <section
      aria-label="Pad controller"
      className="mt-3 rounded-[8px] border-[1.5px] border-ink bg-well p-2 text-[11.5px]"
    >
      <div className="mb-1.5 flex items-center gap-1.5">
        <span className="title text-[12.5px]">Controller</span>
        <span className="min-w-0 grow truncate text-ink2" role="status">
          {last || "higher on a pad is harder"}
        </span>
        <button
          type="button"
          aria-label="Close the controller"
          className="rounded-[2px] px-1 hover:bg-card"
          onClick={() => useView.getState().look({ controller: false })}
        >
          ×
        </button>
      </div>
      <div className="grid grid-cols-4 gap-1">
        {Array.from({ length: PAGE }, (_, place) => (
          <Rubber key={place} note={noteOf(place)} />
        ))}
      </div>
      <div className="mt-1.5 grid grid-cols-2 gap-2">
        <Control number={1} label="Wheel" />
        <Control number={74} label="Knob" />
      </div>
      <div className="mt-1.5 flex items-center gap-1.5">
        {canConnect() ? (
          <Button
            hint="Pads and keyboards that are plugged in: notes from 36 up play the pads"
            onClick={() => void connectDevices()}
          >
            {state === "on" ? "Look again" : state === "asking" ? "Asking ..." : "Connect devices"}
          </Button>
        ) : null}
        <span className="text-ink2">
          {!canConnect()
            ? "This browser knows no MIDI devices; the pads above do."
            : state === "refused"
              ? "The browser does not allow it."
              : state === "on"
                ? devices.length
                  ? devices.join(", ")
                  : "none plugged in"
                : ""}
        </span>
      </div>
    </section>
  );
}

/** A wheel or knob: what it moves is tied in Shape. */
function Control({ number, label }: { number: number; label: string }) {
  const tied = useView((s) => s.ties[number]);
  return (
    <label className="flex items-center gap-1.5" title={tied ? `Moves ${tied}` : "Tied to nothing yet: Tie, in Shape"}>
      {label}
      <input
        type="range"
        min={0}
        max={127}
        defaultValue={0}
        className="w-full accent-ink"
        aria-label={`Controller ${label.toLowerCase()}`}
        onChange={(event) => receive([0xb0, number, Number(event.target.value)], event.timeStamp)}
      />
    </label>
  );
}

function Rubber({ note }: { note: number }) {
  function velocity(event: PointerEvent<HTMLButtonElement>): number {
    const box = event.currentTarget.getBoundingClientRect();
    return Math.max(1, Math.min(127, Math.round(127 * (1 - (event.clientY - box.top) / box.height))));
  }
  return (
    <button
      type="button"
      data-note={note}
      aria-label={`Controller pad, note ${note}`}
      className="h-[30px] touch-none rounded-[5px] border border-ink2 bg-card text-[11px] text-ink2 active:bg-ink active:text-card"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        receive([0x90, note, velocity(event)], event.timeStamp);
      }}
      onPointerUp={(event) => receive([0x80, note, 0], event.timeStamp)}
      onPointerCancel={(event) => receive([0x80, note, 0], event.timeStamp)}
      onKeyDown={(event) => {
        if ((event.key !== "Enter" && event.key !== " ") || event.repeat) return;
        event.preventDefault();
        event.stopPropagation();
        receive([0x90, note, 100], event.timeStamp);
      }}
      onKeyUp={(event) => (event.key === "Enter" || event.key === " ") && receive([0x80, note, 0], event.timeStamp)}
    >
      {note}
    </button>
  );
}
