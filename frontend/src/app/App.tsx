import { Tabs } from "radix-ui";
import { useEffect, useState } from "react";

import { api, ask } from "../api/client";
import type { About, Pocket } from "../api/types";
import { setLevel, wake } from "../audio/engine";
import { loopPlayer } from "../audio/loop";
import { tapePlayer } from "../audio/tape";
import { voices } from "../audio/voices";
import { Toasts } from "../design/Toasts";
import { Finds } from "../finds/Finds";
import { addDropped } from "../finds/importing";
import { learnKeyNames } from "../pads/keys";
import { lightPads } from "../pads/lighting";
import { Pads } from "../pads/Pads";
import { Beginning } from "../start/Beginning";
import { watchFirstBeat } from "../start/firstBeat";
import { Chop } from "../stations/chop/Chop";
import { Listen } from "../stations/listen/Listen";
import { lanesOf } from "../stations/rhythm/lanes";
import { PatternGrid } from "../stations/rhythm/PatternGrid";
import { PatternHead } from "../stations/rhythm/PatternMenu";
import { Rhythm } from "../stations/rhythm/Rhythm";
import { Shape } from "../stations/shape/Shape";
import { Mix } from "../stations/mix/Mix";
import { Song } from "../stations/song/Song";
import { Transport } from "../transport/Transport";
import { useAbout } from "./about";
import { showSource } from "./actions";
import { openPocket, reloadSounds } from "./edits";
import { follow, useJobs } from "./events";
import { watchFocus } from "./focus";
import { FoldedFinds, FoldedPads, StripFold, useFindsShut, useStrip } from "./folded";
import { HelpSheet } from "./HelpSheet";
import { listenToKeys } from "./keys";
import "./kinship";
import { followSong } from "./playing";
import { ordered, usePocket } from "./pocket";
import { learnNeutral } from "./sounds";
import { settleAtRest } from "./settling";
import { useUnreadable } from "./unreadable";
import { UnreadablePocket } from "./UnreadablePocket";
import { type Station, useView } from "./view";

const STATIONS: { key: Station; label: string }[] = [
  { key: "listen", label: "Listen" },
  { key: "chop", label: "Chop" },
  { key: "shape", label: "Shape" },
  { key: "rhythm", label: "Rhythm" },
  { key: "mix", label: "Mix" },
  { key: "song", label: "Song" },
];
/** Stations that take the width of the finds, which are folded there unless they are asked for; and the strip of the pattern. */
const WIDE: Station[] = ["shape", "mix", "song"];

export function App() {
  const about = useAbout();
  const open = usePocket((s) => s.open);
  useStart();
  useSounds();
  const pocketId = open?.id;
  useEffect(() => (pocketId ? follow(pocketId) : undefined), [pocketId]);
  useEffect(watchFocus, []);
  useEffect(listenToKeys, []);
  useEffect(settleAtRest, []);
  useEffect(followSong, []);
  useEffect(watchFirstBeat, []);
  useEffect(lightPads, []);
  const unreadable = useUnreadable((s) => s.found !== null);
  if (unreadable) return <UnreadablePocket />;
  if (!about || !open) return <Waiting />;
  learnNeutral(about);
  return <House about={about} pocket={open.pocket} id={open.id} />;
}

/** Open the pocket of last time, or the newest, or a first one. */
function useStart() {
  useEffect(() => {
    let stopped = false;
    async function start() {
      const { pockets } = await ask(api.GET("/api/pockets"));
      const last = useView.getState().pocketId;
      const id =
        pockets.find((p) => p.id === last)?.id ??
        pockets[0]?.id ??
        (await ask(api.POST("/api/pockets", { body: { name: "First pocket" } }))).id;
      await openPocket(id);
    }
    function attempt() {
      start().catch(() => {
        if (!stopped) window.setTimeout(attempt, 700);
      });
    }
    attempt();
    learnKeyNames();
    // Sound may only start after a gesture; any will do.
    window.addEventListener("pointerdown", wake, { once: true });
    window.addEventListener("keydown", wake, { once: true });
    return () => {
      stopped = true;
    };
  }, []);
}

/** Hand what the pocket sounds like to the players, whenever it changes. */
function useSounds() {
  const sounds = usePocket((s) => s.open?.sounds ?? null);
  const pads = usePocket((s) => s.open?.pocket.pads);
  const level = usePocket((s) => s.open?.pocket.level ?? 0);
  const page = useView((s) => s.page);
  const source = useView((s) => s.source);
  useEffect(() => {
    // The newest, not the one this effect was made for: effects may run late, when an edit has already brought the next.
    const newest = usePocket.getState().open?.sounds;
    if (sounds && newest) void loopPlayer.update(newest.loop ?? null, () => void reloadSounds());
  }, [sounds]);
  useEffect(() => {
    if (sounds && pads) voices.update(sounds, pads, page);
  }, [sounds, pads, page]);
  const trim = usePocket((s) => (source ? (s.open?.pocket.sources[source]?.trim ?? 0) : 0));
  useEffect(() => tapePlayer.setTrim(trim), [trim]);
  useEffect(() => setLevel(level), [level]);
}

function Waiting() {
  return (
    <main className="grid h-full place-items-center">
      <p className="title text-[19px]">Opening the pocket ...</p>
    </main>
  );
}

function House({ about, pocket, id }: { about: About; pocket: Pocket; id: string }) {
  const station = useView((s) => s.station);
  const [dropping, setDropping] = useState(false);
  const connected = useJobs((s) => s.connected);
  const patternId = useView((s) => s.pattern);
  const pattern = (patternId && pocket.patterns[patternId]) || null;
  const page = useView((s) => s.page);
  const chosen = useView((s) => s.pads);
  const wide = WIDE.includes(station);
  const steps = useStrip();
  const rhythm = station === "rhythm" || wide;
  const slim = rhythm || !steps;
  const findsOpen = useView((s) => s.findsOpen);
  const findsShut = useFindsShut();
  const padsShut = useView((s) => s.padsShut);
  const folded = wide ? !findsOpen : findsShut;
  const fold = (on: boolean) => useView.getState().look(wide ? { findsOpen: !on } : { findsShut: on });
  const files = (event: React.DragEvent) => event.dataTransfer.types.includes("Files");

  return (
    <div
      className="grid h-full min-w-[1000px]"
      style={{
        gridTemplateColumns: `${folded ? "40px" : "clamp(208px, 14vw, 340px)"} minmax(0, 1fr) ${padsShut ? "40px" : "clamp(272px, 24.4vw, 540px)"}`,
        gridTemplateRows: `52px minmax(0, 1fr) ${slim ? 44 : 132}px`,
      }}
      onDragOver={(event) => {
        if (!files(event)) return;
        event.preventDefault();
        setDropping(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setDropping(false)}
      onDrop={(event) => {
        if (!files(event)) return;
        event.preventDefault();
        setDropping(false);
        void addDropped(id, event.dataTransfer, about);
      }}
    >
      <div className="col-span-3 grid grid-cols-[minmax(0,1fr)]">
        <Transport />
      </div>
      {folded ? <FoldedFinds show={() => fold(false)} /> : <Finds about={about} fold={() => fold(true)} />}
      <Tabs.Root
        asChild
        value={station}
        onValueChange={(value) => useView.getState().look({ station: value as Station })}
        activationMode="manual"
      >
        <main className="flex min-h-0 min-w-0 flex-col">
          <div className="relative flex h-[42px] shrink-0 items-end px-4">
            <Tabs.List aria-label="Stations" className="title flex gap-0.5 text-[15px]">
              {STATIONS.map(({ key, label }, i) => (
                <Tabs.Trigger
                  key={key}
                  value={key}
                  title={`F${i + 1}`}
                  className="border-b-[3px] border-transparent px-[11px] py-[3px] font-medium text-ink2 hover:text-ink data-[state=active]:border-now data-[state=active]:font-bold data-[state=active]:text-ink"
                >
                  {label}
                </Tabs.Trigger>
              ))}
            </Tabs.List>
            <div className="pointer-events-none absolute top-1 right-4 left-[412px] z-20 flex min-h-[34px] flex-col justify-end [&>*]:pointer-events-auto">
              {connected ? null : (
                <span role="status" className="ml-auto text-[12px]">
                  The server does not answer; trying again. What you made is kept.
                </span>
              )}
              <Toasts />
            </div>
          </div>
          {STATIONS.map(({ key }) => (
            <Tabs.Content
              key={key}
              value={key}
              tabIndex={-1}
              className="flex min-h-0 grow flex-col outline-none data-[state=inactive]:hidden"
            >
              {station !== key && WIDE.includes(key) ? null : key === "shape" ? (
                <Shape />
              ) : key === "rhythm" ? (
                <Rhythm />
              ) : key === "mix" ? (
                <Mix />
              ) : key === "song" ? (
                <Song />
              ) : (
                <OfSource station={key} pocket={pocket} />
              )}
            </Tabs.Content>
          ))}
        </main>
      </Tabs.Root>
      {padsShut ? <FoldedPads /> : <Pads />}
      <footer
        aria-label="Pattern"
        className={`col-span-3 grid min-h-0 ${slim ? "grid-cols-[auto_1fr]" : "grid-cols-[clamp(208px,14vw,340px)_1fr]"} border-t-[1.5px] border-ink bg-card`}
      >
        <div
          className={`flex min-w-0 gap-x-4 gap-y-0.5 border-r border-rule px-3 py-2 ${slim ? "items-center" : "flex-col items-start"}`}
        >
          <PatternHead pocket={pocket} pattern={pattern} />
          {rhythm ? null : <StripFold open={!slim} />}
        </div>
        {slim ? (
          <span className="self-center px-4 text-[12px] text-ink2">{pattern ? `${pattern.hits.length} hits` : ""}</span>
        ) : (
          <div className="thin-scroll overflow-auto py-1 pr-3">
            {pattern ? (
              <PatternGrid
                pattern={pattern}
                lanes={lanesOf(pocket, pattern, page, chosen, false)}
                row={23}
                heading={false}
              />
            ) : (
              <p className="p-3 text-ink2">Steps of the pattern appear here.</p>
            )}
          </div>
        )}
      </footer>
      {dropping ? (
        <div className="pointer-events-none fixed inset-3 z-30 grid place-items-center rounded-[8px] border-[3px] border-dashed border-ink bg-paper/85">
          <p className="title text-[22px]">Drop to add to the finds</p>
        </div>
      ) : null}
      <HelpSheet />
    </div>
  );
}

function OfSource({ station, pocket }: { station: "listen" | "chop"; pocket: Pocket }) {
  const id = useView((s) => s.source);
  const sources = ordered(pocket.sources);
  const source = (id && pocket.sources[id]) || sources[0];
  const sourceId = source?.id ?? null;
  useEffect(() => {
    if (sourceId !== id) showSource(sourceId);
  }, [sourceId, id]);
  const hash = source?.audio;
  const frames = source?.frames ?? 0;
  useEffect(() => {
    if (hash) void tapePlayer.prepare(hash, frames, 0);
  }, [hash, frames]);
  if (!source) return <Beginning />;
  return station === "listen" ? (
    <Listen key={source.id} source={source} rate={pocket.rate} />
  ) : (
    <Chop key={source.id} source={source} rate={pocket.rate} />
  );
}
