/** Where a source is heard now, whichever player plays it. */
import { previewPlayer, usePreview } from "./preview";
import { tapePlayer, useTape } from "./tape";

export function useHeard(hash: string): boolean {
  const tape = useTape((s) => s.playing === hash);
  const preview = usePreview((s) => s.preview?.hash === hash && !s.preview.coming);
  return tape || preview;
}

export function heardPlace(): number {
  return usePreview.getState().preview && !useTape.getState().playing ? previewPlayer.place() : tapePlayer.place();
}
