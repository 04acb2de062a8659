/** What was played: kept take by take, chosen from, and what was just played without recording. */
import type { Pattern } from "../../../api/types";
import { edit } from "../../../app/edits";
import { keepJustPlayed, useJustPlayed } from "../../../app/justPlayed";
import { useMetronome } from "../../../app/metronome";
import { useView } from "../../../app/view";
import { Button } from "../../../design/Button";
import { Menu } from "../../../design/Menu";
import { Toggle } from "../../../design/Toggle";
import { LatencyTool } from "./LatencyTool";

export function Takes({ pattern }: { pattern: Pattern }) {
  const replace = useView((s) => s.replaceTake);
  const count = useJustPlayed((s) => s.count);
  const on = pattern.recordings.filter((one) => one.on).map((one) => one.id);
  const choose = (recordings: string[]) => void edit({ type: "use_recordings", pattern: pattern.id, recordings });
  const clicks = useMetronome((s) => s.on);
  return (
    <>
      <Toggle
        on={clicks}
        onChange={(value) => useMetronome.setState({ on: value })}
        hint="Clicks on the beats while the pattern plays; they are in no file"
      >
        Metronome
      </Toggle>
      <Toggle
        on={replace}
        onChange={(value) => useView.getState().look({ replaceTake: value })}
        hint="A new take puts the ones before it away; off: it is played over them"
      >
        Replace
      </Toggle>
      <Button
        disabled={!count}
        hint="What was played on the pads in the last half minute, though nothing was recorded"
        onClick={() => void keepJustPlayed()}
      >
        {count ? `Keep what I just played, ${count} ${count === 1 ? "hit" : "hits"}` : "Keep what I just played"}
      </Button>
      {pattern.recordings.length ? (
        <span role="group" aria-label="Takes" className="flex flex-wrap gap-1">
          {pattern.recordings.map((one) => (
            <Toggle
              key={one.id}
              on={one.on}
              hint={`${one.hits.length} hits`}
              onChange={(value) => choose(value ? [...on, one.id] : on.filter((id) => id !== one.id))}
            >
              {one.name}
            </Toggle>
          ))}
        </span>
      ) : (
        <span className="text-ink2">No takes yet.</span>
      )}
      {pattern.recordings.length ? (
        <Menu
          label="Takes: more"
          trigger={<Button>More ▾</Button>}
          items={[
            ...pattern.recordings.map((one) => ({
              label: `${one.name} alone`,
              onSelect: () => choose([one.id]),
            })),
            null,
            {
              label: "Forget those that are put away",
              disabled: on.length === pattern.recordings.length,
              onSelect: () =>
                void edit({
                  type: "drop_recordings",
                  pattern: pattern.id,
                  recordings: pattern.recordings.filter((one) => !one.on).map((one) => one.id),
                }),
            },
            {
              label: "Make what is heard the pattern's own",
              onSelect: () =>
                void edit({
                  type: "drop_recordings",
                  pattern: pattern.id,
                  recordings: pattern.recordings.map((one) => one.id),
                }),
            },
          ]}
        />
      ) : null}
      <LatencyTool />
    </>
  );
}
