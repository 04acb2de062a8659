import { Popover } from "radix-ui";
import { useState } from "react";

import type { Problem } from "../api/types";
import { usePocket } from "../app/pocket";
import { toast } from "../app/toasts";
import { useView } from "../app/view";
import { Button } from "../design/Button";
import { fixed } from "../design/format";
import { NumberField } from "../design/NumberField";
import { Toggle } from "../design/Toggle";

const PASSES = { name: "passes", label: "Repeats", unit: "×", low: 1, high: 64, default: 1, step: 1, digits: 0, help: "How often the pattern is played" };

/** The file's name as a header gives it: in letters of any script (RFC 5987), or plainly. */
function fileName(header: string): string {
  const encoded = /filename\*=UTF-8''([^;]+)/i.exec(header)?.[1];
  return encoded ? decodeURIComponent(encoded) : (/filename="?([^";]+)"?/.exec(header)?.[1] ?? "loop.wav");
}

/** What is heard, as a 24-bit WAV file. */
export function Export() {
  const open = usePocket((s) => s.open);
  const patternId = useView((s) => s.pattern);
  const [ending, setEnding] = useState<"loop" | "tail">("loop");
  const [passes, setPasses] = useState(1);
  const [busy, setBusy] = useState(false);
  const [said, setSaid] = useState<string | null>(null);
  const pattern = patternId ? open?.pocket.patterns[patternId] : undefined;

  async function save() {
    if (!open || !pattern) return;
    setBusy(true);
    setSaid(null);
    try {
      const response = await fetch(`/api/pockets/${open.id}/export/${pattern.id}.wav?ending=${ending}&passes=${passes}`);
      if (!response.ok) throw new Error(((await response.json()) as Problem).message);
      const peak = Number(response.headers.get("X-Peak-dB"));
      const clipped = Number(response.headers.get("X-Clipped"));
      const name = fileName(response.headers.get("Content-Disposition") ?? "");
      const link = document.createElement("a");
      link.href = URL.createObjectURL(await response.blob());
      link.download = name;
      link.click();
      window.setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
      setSaid(
        clipped
          ? `${name} is saved, but ${clipped} samples went over full scale and are clipped (peak ${fixed(peak, 1)} dB). Turn the level down by ${Math.ceil(peak * 10) / 10} dB and save again.`
          : `${name} is saved. Peak ${Number.isFinite(peak) ? `${fixed(peak, 1)} dBFS` : "silence"}.`,
      );
    } catch (error) {
      toast({ title: "Not exported", text: error instanceof Error ? error.message : String(error), tone: "error" });
    } finally {
      setBusy(false);
    }
  }

  return (
    <Popover.Root onOpenChange={() => setSaid(null)}>
      <Popover.Trigger asChild>
        <Button tone="solid">Export</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Export"
          className="z-40 w-[300px] rounded-[4px] border-[1.5px] border-ink bg-card p-3 text-[12.5px] shadow-[3px_3px_0_var(--color-well)]"
        >
          {pattern ? (
            <>
              <p className="title mb-2 truncate text-[14px]">{pattern.name}</p>
              <div className="mb-2 flex gap-1.5">
                <Toggle on={ending === "loop"} onChange={() => setEnding("loop")} hint="Tails ring into its start, so that it repeats without a seam: the very samples you hear">
                  Seamless loop
                </Toggle>
                <Toggle on={ending === "tail"} onChange={() => setEnding("tail")} hint="From silence, and rings out at its end">
                  With its tail
                </Toggle>
              </div>
              <div className="mb-3 flex items-center gap-2">
                <span>Repeats</span>
                <NumberField parameter={PASSES} value={passes} onChange={(value) => setPasses(Math.round(value))} className="w-14" />
                <span className="text-ink2">24-bit WAV, {fixed((open?.pocket.rate ?? 0) / 1000, 1)} kHz</span>
              </div>
              <Button tone="go" aria-disabled={busy} onClick={() => busy || void save()}>
                {busy ? "Saving" : "Save WAV"}
              </Button>
              {said ? (
                <p className="mt-2" role="status">
                  {said}
                </p>
              ) : null}
            </>
          ) : (
            <p>There is no pattern to export yet. Make one in Rhythm, or take a break's own with Original rhythm in Chop.</p>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
