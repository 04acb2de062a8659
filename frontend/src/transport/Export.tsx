import { Popover } from "radix-ui";
import { useRef, useState } from "react";

import { byKeys } from "../app/focus";
import { usePocket } from "../app/pocket";
import { useView } from "../app/view";
import { Button } from "../design/Button";
import { fixed } from "../design/format";
import { NumberField } from "../design/NumberField";
import { Toggle } from "../design/Toggle";
import { OverFullScale } from "./OverFullScale";
import { useExport } from "./useExport";

const PASSES = {
  name: "passes",
  label: "Repeats",
  unit: "×",
  low: 1,
  high: 64,
  default: 1,
  step: 1,
  digits: 0,
  help: "How often the pattern is played",
};

/** What is heard, as a file: a pattern, or in Song the song. The worker writes it; here it is waited for and fetched. */
export function Export() {
  const open = usePocket((s) => s.open);
  const patternId = useView((s) => s.pattern);
  const inSong = useView((s) => s.station === "song");
  const [ending, setEnding] = useState<"loop" | "tail">("loop");
  const [format, setFormat] = useState<"wav" | "flac">("wav");
  const [passes, setPasses] = useState(1);
  const keys = useRef(false);
  const pattern = patternId ? open?.pocket.patterns[patternId] : undefined;
  const song = inSong && Boolean(open?.pocket.song.length);
  const what = song ? "song" : pattern?.id;
  const { job, said, waiting, over, forget, save, saveAfter, take, stop } = useExport({ what, ending, passes, format });
  const busy = job !== null || waiting;

  return (
    <Popover.Root
      onOpenChange={(opens) => {
        forget();
        if (opens) keys.current = byKeys();
      }}
    >
      <Popover.Trigger asChild>
        <Button tone="solid">Export</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Export"
          // Opened by a click, it gives the keyboard back to the house, however it is left.
          onCloseAutoFocus={(event) => keys.current || event.preventDefault()}
          className="z-40 w-[300px] rounded-[4px] border-[1.5px] border-ink bg-card p-3 text-[12.5px] shadow-[3px_3px_0_var(--color-well)]"
        >
          {pattern || song ? (
            <>
              <p className="title mb-2 truncate text-[14px]">
                {song ? `The song of ${open?.pocket.name}` : pattern?.name}
              </p>
              {song ? null : (
                <div className="mb-2 flex gap-1.5">
                  <Toggle
                    on={ending === "loop"}
                    onChange={() => setEnding("loop")}
                    hint="Tails ring into its start, so that it repeats without a seam: the very samples you hear"
                  >
                    Seamless loop
                  </Toggle>
                  <Toggle
                    on={ending === "tail"}
                    onChange={() => setEnding("tail")}
                    hint="From silence, and rings out at its end"
                  >
                    With its tail
                  </Toggle>
                </div>
              )}
              <div className="mb-2 flex items-center gap-1.5">
                <Toggle on={format === "wav"} onChange={() => setFormat("wav")}>
                  WAV
                </Toggle>
                <Toggle
                  on={format === "flac"}
                  onChange={() => setFormat("flac")}
                  hint="The same samples in about half the room"
                >
                  FLAC
                </Toggle>
                <span className="text-ink2">24 bits, {fixed((open?.pocket.rate ?? 0) / 1000, 1)} kHz</span>
              </div>
              {song ? null : (
                <div className="mb-3 flex items-center gap-2">
                  <span>Repeats</span>
                  <NumberField
                    parameter={PASSES}
                    value={passes}
                    onChange={(value) => setPasses(Math.round(value))}
                    className="w-14"
                  />
                </div>
              )}
              <div className="flex items-center gap-2">
                <Button tone="go" aria-disabled={busy} onClick={() => busy || void save()}>
                  {job
                    ? `Writing ${Math.round(100 * job.progress)} %`
                    : waiting
                      ? "Waiting for your edits"
                      : `Save ${format === "wav" ? "WAV" : "FLAC"}`}
                </Button>
                {job ? <Button onClick={stop}>Cancel</Button> : null}
              </div>
              {over && open ? (
                <OverFullScale
                  job={over}
                  level={open.pocket.level}
                  onEdit={(change) => void saveAfter(change)}
                  onTake={() => take(over)}
                />
              ) : null}
              {said ? (
                <p className="mt-2" role="status">
                  {said}
                </p>
              ) : null}
            </>
          ) : (
            <p>
              There is no pattern to export yet. Make one in Rhythm, or take a break's own with Original rhythm in Chop.
            </p>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
