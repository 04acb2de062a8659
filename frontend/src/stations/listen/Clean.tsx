/** Cleaning: what is wrong with the record, how it sounds without it, what that takes away, and the print. */
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";

import { api, ask } from "../../api/client";
import type { Cleaning, Source } from "../../api/types";
import { useParameter } from "../../app/about";
import { noteJob } from "../../app/events";
import { usePocket } from "../../app/pocket";
import { toast } from "../../app/toasts";
import { useView } from "../../app/view";
import { loopPlayer } from "../../audio/loop";
import { songPlayer } from "../../audio/song";
import { previewPlayer, usePreview } from "../../audio/preview";
import { tapePlayer } from "../../audio/tape";
import { Button } from "../../design/Button";
import { fixed } from "../../design/format";
import { Slider } from "../../design/Slider";
import { Toggle } from "../../design/Toggle";

const LONGEST_S = 30;
const DEFAULTS = { clicks: 50, hiss: 12 };
const NOTHING: Cleaning = { clicks: 0, hum: false, hiss: 0 };
type Part = "kept" | "removed" | "original";
const PARTS: { part: Part; label: string; hint: string }[] = [
  { part: "original", label: "As it is", hint: "The record untouched" },
  { part: "kept", label: "Cleaned", hint: "What the print will be" },
  { part: "removed", label: "Removed", hint: "Only what is taken out: nothing of the music should be in it" },
];

export function Clean({ source, rate }: { source: Source; rate: number }) {
  const open = usePocket((s) => s.open);
  const survey = useQuery({
    queryKey: ["survey", source.audio],
    queryFn: () => ask(api.GET("/api/audio/{audio}/survey", { params: { path: { audio: source.audio } } })),
    staleTime: Infinity,
    retry: false,
  });
  const asked = useView((s) => s.cleaning[source.id]) ?? NOTHING;
  const url = usePreview((s) =>
    s.preview?.hash === source.audio && s.preview.url.includes("/cleaned/") ? s.preview.url : null,
  );
  // What is heard says so itself, by its address.
  const heard = url ? PARTS.find(({ part }) => url.endsWith(`&part=${part}`))?.part : undefined;
  const clicks = useParameter("clean", "clicks");
  const hiss = useParameter("clean", "hiss");
  const nothing = !asked.clicks && !asked.hum && !asked.hiss;
  const found = survey.data;

  // What is heard follows the settings.
  useEffect(() => {
    if (heard && heard !== "original") void listen(heard);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [asked.clicks, asked.hum, asked.hiss]);

  async function listen(which: Part) {
    const { selection, cursor } = useView.getState();
    const mine = selection?.source === source.id && selection.end > selection.start ? selection : null;
    const start = Math.round(mine?.start ?? Math.min(cursor, Math.max(0, source.frames - rate)));
    const end = Math.min(Math.round(mine?.end ?? source.frames), start + LONGEST_S * rate);
    loopPlayer.stop();
    songPlayer.stop();
    tapePlayer.stop();
    const address = `/api/audio/${source.audio}/cleaned/${start}/${end}?clicks=${asked.clicks}&hum=${asked.hum}&hiss=${asked.hiss}&part=${which}`;
    try {
      await previewPlayer.play(source.audio, start, end, address, source.trim, true);
    } catch (error) {
      toast({ title: "That could not be cleaned", text: (error as Error).message, tone: "error" });
    }
  }

  async function print() {
    if (!open) return;
    try {
      noteJob(
        await ask(
          api.POST("/api/pockets/{pocket}/sources/{source}/clean", {
            params: { path: { pocket: open.id, source: source.id } },
            body: asked,
          }),
        ),
      );
    } catch (error) {
      toast({ title: "Nothing was printed", text: (error as Error).message, tone: "error" });
    }
  }

  const set = (change: Partial<Cleaning>) =>
    useView.getState().look({ cleaning: { ...useView.getState().cleaning, [source.id]: { ...asked, ...change } } });
  return (
    <section aria-label="Cleaning" className="flex flex-col gap-2 text-[12.5px]">
      <div className="grid grid-cols-[84px_150px_52px_1fr] items-center gap-x-3 gap-y-1.5">
        <Toggle
          on={asked.clicks > 0}
          onChange={(on) => set({ clicks: on ? DEFAULTS.clicks : 0 })}
          hint="Crackle and pops, filled from what is round them"
        >
          Clicks
        </Toggle>
        <Slider
          parameter={clicks}
          value={asked.clicks}
          onChange={(value) => set({ clicks: value })}
          className="w-full"
        />
        <span className="text-right tabular-nums">{fixed(asked.clicks, 0)} %</span>
        <span className="text-ink2">
          {found
            ? found.clicks
              ? `about ${fixed(found.clicks, 0)} a minute in it`
              : "none heard in it"
            : survey.error
              ? survey.error.message
              : "listening ..."}
        </span>
        <Toggle on={asked.hum} onChange={(on) => set({ hum: on })} hint="The mains tone and its overtones">
          Hum
        </Toggle>
        <span className="col-span-2 text-ink2">
          {asked.hum && found && !found.hum ? "there is nothing to take out" : ""}
        </span>
        <span className="text-ink2">
          {found
            ? found.hum
              ? `${fixed(found.hum.hz, 2)} Hz and ${found.hum.overtones} of its overtones, ${fixed(found.hum.level_db, 0)} dBFS`
              : "none heard in it"
            : ""}
        </span>
        <Toggle
          on={asked.hiss > 0}
          onChange={(on) => set({ hiss: on ? DEFAULTS.hiss : 0 })}
          hint="Steady noise, turned down where nothing stands above it"
        >
          Hiss
        </Toggle>
        <Slider parameter={hiss} value={asked.hiss} onChange={(value) => set({ hiss: value })} className="w-full" />
        <span className="text-right tabular-nums">{fixed(asked.hiss, 0)} dB</span>
        <span className="text-ink2">
          {found
            ? found.hiss_db === null
              ? "none heard in it"
              : `${fixed(found.hiss_db, 0)} dBFS when all else is quiet`
            : ""}
        </span>
      </div>
      <div className="flex flex-wrap items-center gap-1.5">
        <span role="group" aria-label="Hear it" className="inline-flex">
          {PARTS.map(({ part: which, label, hint }) => (
            <Button
              key={which}
              className="-ml-px first:ml-0"
              tone={heard === which ? "play" : "plain"}
              aria-pressed={heard === which}
              disabled={nothing && which !== "original"}
              hint={hint}
              onClick={() => (heard === which ? previewPlayer.stop() : void listen(which))}
            >
              {label}
            </Button>
          ))}
        </span>
        <Button
          tone="go"
          disabled={nothing}
          hint="A cleaned copy among the finds, on the same time line, with the same grid and cuts. Undo takes it away."
          onClick={() => void print()}
        >
          Print cleaned
        </Button>
        <span className="text-ink2">
          {nothing
            ? "Choose what to take out."
            : `Heard: the selection, or from the cursor on, ${LONGEST_S} s at most.`}
        </span>
      </div>
    </section>
  );
}
