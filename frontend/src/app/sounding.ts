/** What sounds now, told in one place, and how to stop it: the pattern, a find, a slice, a tone. */
import { loopPlayer, useLoop } from "../audio/loop";
import { previewPlayer, usePreview } from "../audio/preview";
import { songPlayer, useSong } from "../audio/song";
import { tapePlayer, useTape } from "../audio/tape";
import { useSlice, voices } from "../audio/voices";
import { usePocket } from "./pocket";
import { useView } from "./view";

export interface Heard {
  kind: "pattern" | "song" | "find" | "slice" | "tone";
  name: string;
}

function nameOfAudio(hash: string | undefined): string {
  const sources = Object.values(usePocket.getState().open?.pocket.sources ?? {});
  const open = useView.getState().source;
  const same = sources.filter((source) => source.audio === hash);
  return (same.find((source) => source.id === open) ?? same[0])?.name ?? "a find";
}

/** What goes on until it is stopped: the song, the pattern, or a find. */
export function lasting(): Heard | null {
  if (useSong.getState().playing || useSong.getState().coming) return { kind: "song", name: "the song" };
  if (useLoop.getState().playing || useLoop.getState().asked) {
    const pattern = useView.getState().pattern;
    return {
      kind: "pattern",
      name: (pattern && usePocket.getState().open?.pocket.patterns[pattern]?.name) || "the pattern",
    };
  }
  const hash = useTape.getState().playing ?? usePreview.getState().preview?.hash;
  return hash ? { kind: "find", name: nameOfAudio(hash) } : null;
}

/** Everything that sounds but the pads under the hand. */
export function heardNow(): Heard | null {
  const slice = useSlice.getState().slice;
  if (slice) return slice === "tone" ? { kind: "tone", name: "a tone" } : { kind: "slice", name: nameOfAudio(slice) };
  return lasting();
}

/** The same, followed as it changes. */
export function useHeardNow(): Heard | null {
  useLoop((s) => s.playing || s.asked);
  useSong((s) => s.playing || s.coming);
  useTape((s) => s.playing);
  usePreview((s) => s.preview);
  useSlice((s) => s.slice);
  usePocket((s) => s.open?.pocket.sources);
  useView((s) => s.pattern);
  return heardNow();
}

loopPlayer.bars = (loop) => usePocket.getState().open?.pocket.patterns[loop.pattern]?.beats_per_bar ?? 4;
voices.busy = () => useLoop.getState().playing || useSong.getState().playing || useSong.getState().coming;

useSong.subscribe(({ playing, coming }, before) => {
  const now = playing || coming;
  if (now !== (before.playing || before.coming)) loopPlayer.hold(now);
});

export function stopAll(): void {
  loopPlayer.stop();
  songPlayer.stop();
  tapePlayer.stop();
  previewPlayer.stop();
  voices.silence();
}
