/** A small card that goes along on the way to a first beat: each line ticks itself when it is done. */
import { originalRhythm, slicesToPads, toggleSource } from "../app/actions";
import { usePocket } from "../app/pocket";
import { Button } from "../design/Button";
import { useWindow } from "../design/useWindow";
import { useKeyNames } from "../pads/keys";
import { goesAlong, putAway, type Step, STEPS, useFirstBeat } from "./firstBeat";

const WAYS: Record<Step, { text: string; run?: () => void; key?: string }> = {
  hear: { text: "Hear it", run: toggleSource, key: "Space" },
  pads: { text: "Slices to pads", run: () => void slicesToPads(true) },
  play: { text: "Play them" },
  rhythm: { text: "Take its rhythm", run: () => void originalRhythm() },
  change: { text: "Change it: click into the steps" },
  export: { text: "Export it, at the top right" },
};

const ROOMY = 640;

export function FirstBeatCard() {
  const done = useFirstBeat((s) => s.done);
  useFirstBeat((s) => s.away);
  const sources = usePocket((s) => Object.keys(s.open?.pocket.sources ?? {}).length);
  const keys = useKeyNames((s) => s.names);
  // In a low window the finds need the room.
  const roomy = useWindow(() => window.innerHeight >= ROOMY);
  if (!goesAlong() || !sources) return null;
  const next = STEPS.find((step) => !done.includes(step));
  return (
    <section
      aria-label="First beat"
      className="mb-2 shrink-0 rounded-[4px] border-[1.5px] border-ink bg-card p-2 text-[12px] shadow-[3px_3px_0_var(--color-well)]"
    >
      <div className="flex items-center justify-between">
        <h3 className="title text-[14px]">{next ? "First beat" : "That is a beat."}</h3>
        <button
          type="button"
          aria-label="Put First beat away for good"
          title="Put it away for good"
          className="rounded-[2px] px-1.5 hover:bg-well"
          onClick={putAway}
        >
          ✕
        </button>
      </div>
      <ol>
        {STEPS.filter((step) => roomy || step === next).map((step) => {
          const { text, run, key } = WAYS[step];
          const on = done.includes(step);
          const told = step === "play" ? `${text}: keys ${keys[0]} to ${keys[15]}` : text;
          return (
            <li
              key={step}
              data-step={step}
              data-done={on || undefined}
              className={`flex min-h-[24px] items-center gap-1.5 ${on ? "text-ink2" : step === next ? "font-semibold" : ""}`}
            >
              <span aria-label={on ? "done" : "open"} role="img" className="w-3 shrink-0 text-center">
                {on ? "✓" : "○"}
              </span>
              <span className="grow leading-tight">{told}</span>
              {run && !on && step === next ? (
                <Button tone="go" className="!px-1.5 !py-0" keys={key} aria-label={`Do it: ${text}`} onClick={run}>
                  Do it
                </Button>
              ) : null}
            </li>
          );
        })}
      </ol>
    </section>
  );
}
