/** The song: played from a bar, followed through edits. */
import { api, ask } from "../api/client";
import { loopPlayer } from "../audio/loop";
import { previewPlayer } from "../audio/preview";
import { songPlayer, useSong } from "../audio/song";
import { tapePlayer } from "../audio/tape";
import type { Sounds } from "../api/types";
import { togglePattern } from "./actions";
import { usePocket } from "./pocket";
import { toast } from "./toasts";
import { useView } from "./view";

export type Stretch = Sounds["song"][number];

/** The song as the core lays it out. */
function layout(): Stretch[] {
  return usePocket.getState().open?.sounds?.song ?? [];
}

export function beatsOf(song: Stretch[]): number {
  const last = song.at(-1);
  return last ? last.at + last.beats : 0;
}

/** The beat of the song that is heard now. */
export function songBeat(): number {
  const pocket = usePocket.getState().open?.pocket;
  return pocket ? (songPlayer.place() * pocket.tempo) / 60 / pocket.rate : 0;
}

export function playSong(beat: number): void {
  const open = usePocket.getState().open;
  if (!open) return;
  // Nothing is written on the page yet: what is there to hear is the pattern.
  if (!beatsOf(layout())) return togglePattern();
  loopPlayer.stop();
  tapePlayer.stop();
  previewPlayer.stop();
  const from = beat < beatsOf(layout()) ? beat : 0;
  useView.getState().look({ songBeat: from });
  const window_ = (first: number, last: number) =>
    ask(api.GET("/api/pockets/{pocket}/song", { params: { path: { pocket: open.id }, query: { first, last } } }));
  songPlayer
    .play(Math.round((from * 60 * open.pocket.rate) / open.pocket.tempo), window_)
    .catch((error: Error) => toast({ title: "The song cannot be played", text: error.message, tone: "error" }));
}

export function toggleSong(): void {
  const { playing, coming } = useSong.getState();
  if (playing || coming) songPlayer.stop();
  else playSong(useView.getState().songBeat);
}

/** After each change of the pocket, what is to come of the song is asked for anew. */
export function followSong(): () => void {
  let version = -1;
  return usePocket.subscribe(({ open }) => {
    if (!open || open.version === version) return;
    version = open.version;
    songPlayer.changed().catch(() => undefined);
  });
}
