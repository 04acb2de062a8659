/** Recording from the line input, or from the deck that stands in for one; in place, under the head of the finds. */
import { useEffect } from "react";

import { currentSource } from "../app/actions";
import { usePocket } from "../app/pocket";
import { recorder, useRecorder, type Input } from "../audio/recorder";
import { Button } from "../design/Button";

const INPUTS: { which: Input; label: string; hint: string }[] = [
  { which: "line", label: "Line input", hint: "What comes in at the computer's own input" },
  { which: "pocket", label: "What plays", hint: "The pocket's own sound: pads, pattern and finds, as you play them" },
  { which: "deck", label: "Demo record", hint: "A demo record, to try recording: it plays the open find" },
];
const FLOOR_DB = -48;
const ASK_AGAIN_MS = 4000;

export function RecordPanel({ close }: { close: () => void }) {
  const { input, peak, recording, seconds, problem, left } = useRecorder();
  const pocket = usePocket((s) => s.open?.id ?? "");
  // The column may be folded away while it records: then it goes on, and the bar at the top ends it.
  useEffect(
    () => () => {
      if (!useRecorder.getState().recording) recorder.close();
    },
    [],
  );
  // A take that a dead tab left behind counts as left only when nothing has come for a while: so it is asked for again.
  useEffect(() => {
    void recorder.findLeft(pocket);
    const again = setInterval(() => void recorder.findLeft(pocket), ASK_AGAIN_MS);
    return () => clearInterval(again);
  }, [pocket]);
  const db = 20 * Math.log10(Math.max(1e-6, peak));
  // Where the take could not be brought in, it is said here, and can be tried again.
  const closeIf = (done: boolean) => {
    if (done) close();
  };
  const open = (which: Input) => {
    const source = currentSource();
    void recorder.open(which, source ? { hash: source.audio, frames: source.frames } : null);
  };
  return (
    <section
      aria-label="Record"
      className="mb-2 flex flex-col gap-1.5 rounded-[4px] border-[1.3px] border-ink bg-card p-2 text-[12px]"
    >
      <div className="flex flex-wrap items-center gap-1">
        {INPUTS.map(({ which, label, hint }) => (
          <Button
            key={which}
            tone={input === which ? "solid" : "plain"}
            aria-pressed={input === which}
            disabled={recording || (which === "deck" && !currentSource())}
            hint={hint}
            onClick={() => open(which)}
          >
            {label}
          </Button>
        ))}
        <Button tone="quiet" className="ml-auto" aria-label="Close recording" disabled={recording} onClick={close}>
          ×
        </Button>
      </div>
      <div
        role="meter"
        aria-label="Input level"
        aria-valuemin={FLOOR_DB}
        aria-valuemax={0}
        aria-valuenow={Math.round(Math.min(0, Math.max(FLOOR_DB, db)))}
        className="h-[9px] bg-well"
      >
        <div
          className={`h-full ${db > -0.1 ? "bg-now" : "bg-snare"}`}
          style={{ width: `${Math.max(0, Math.min(100, (1 - db / FLOOR_DB) * 100))}%` }}
        />
      </div>
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1">
        {recording ? (
          <Button tone="play" onClick={() => void recorder.stop().then(closeIf)}>
            ■ Stop and keep
          </Button>
        ) : (
          <Button
            tone="solid"
            disabled={!input}
            hint={input ? undefined : "Choose an input first"}
            onClick={() => void recorder.start(pocket, input === "pocket" ? "As played" : "Take")}
          >
            ● Record
          </Button>
        )}
        {left > 0 && !recording ? (
          <Button
            hint={`Make a find of the ${left.toFixed(1)} s that were recorded before`}
            onClick={() => void recorder.bringIn().then(closeIf)}
          >
            Bring it in
          </Button>
        ) : null}
        <span role="timer" className="whitespace-nowrap tabular-nums">
          {recording ? `${seconds.toFixed(1)} s` : input ? (db > FLOOR_DB ? `${db.toFixed(0)} dB` : "silence") : ""}
        </span>
      </div>
      {problem ? <p role="alert">{problem}</p> : null}
    </section>
  );
}
