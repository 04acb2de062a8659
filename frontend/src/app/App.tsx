import { useEffect } from "react";

import { api, ask } from "../api/client";
import { setLevel, wake } from "../audio/engine";
import { loopPlayer } from "../audio/loop";
import { tapePlayer } from "../audio/tape";
import { voices } from "../audio/voices";
import { learnKeyNames } from "../pads/keys";
import { lightPads } from "../pads/lighting";
import { watchFirstBeat } from "../start/firstBeat";
import { useAbout } from "./about";
import { followAddress, placeOf } from "./address";
import { openPocket, reloadSounds } from "./edits";
import { follow } from "./events";
import { watchFocus } from "./focus";
import { House } from "./House";
import { listenToKeys } from "./keys";
import "./kinship";
import { followSong } from "./playing";
import { usePocket } from "./pocket";
import { followMetronome } from "./metronome";
import { learnChords } from "../stations/rhythm/chords";
import { learnNeutral } from "./sounds";
import { learnVelocities } from "../audio/voices";
import { settleAtRest } from "./settling";
import { useUnreadable } from "./unreadable";
import { UnreadablePocket } from "./UnreadablePocket";
import { useView } from "./view";

export function App() {
  const about = useAbout();
  const open = usePocket((s) => s.open);
  useStart();
  useSounds();
  const pocketId = open?.id;
  useEffect(() => (pocketId ? follow(pocketId) : undefined), [pocketId]);
  useEffect(watchFocus, []);
  useEffect(listenToKeys, []);
  const ready = Boolean(pocketId);
  useEffect(() => (ready ? followAddress() : undefined), [ready]);
  useEffect(settleAtRest, []);
  useEffect(followSong, []);
  useEffect(watchFirstBeat, []);
  useEffect(lightPads, []);
  useEffect(followMetronome, []);
  const unreadable = useUnreadable((s) => s.found !== null);
  if (unreadable) return <UnreadablePocket />;
  if (!about || !open) return <Waiting />;
  learnNeutral(about);
  learnChords(about);
  learnVelocities(about);
  return <House about={about} pocket={open.pocket} id={open.id} />;
}

/** Open the pocket of last time, or the newest, or a first one. */
function useStart() {
  useEffect(() => {
    let stopped = false;
    async function start() {
      const { pockets } = await ask(api.GET("/api/pockets"));
      const last = placeOf(window.location.hash)?.pocket ?? useView.getState().pocketId;
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
