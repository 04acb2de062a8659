/** Hear a find in the pocket's tempo and key before it is used. */
import { api, ask } from "../api/client";
import type { Pocket, Source } from "../api/types";
import { previewPlayer, usePreview } from "../audio/preview";
import { tapePlayer } from "../audio/tape";
import { NOTES } from "../design/format";
import { usePocket } from "./pocket";
import { toast } from "./toasts";
import { useView } from "./view";

export const LONGEST_S = 60;

export function keyName(key: Pocket["key"]): string {
  return key ? `${NOTES[key.tonic]} ${key.mode}` : "";
}

/** Whether finds are to be heard as they would fit the pocket; a pocket without a key has none to fit. */
export function fits(): boolean {
  const { inTempo, inKey } = useView.getState();
  return inTempo || (inKey && Boolean(usePocket.getState().open?.pocket.key));
}

/** Play a stretch, at most a minute of it, as it would fit; one that fits as it is, or cannot be fitted, plain and whole. */
export async function playFitted(source: Source, start: number, end: number, loop: boolean): Promise<void> {
  const open = usePocket.getState().open;
  if (!open) return;
  const { inTempo, inKey } = useView.getState();
  const first = Math.round(start);
  const last = Math.min(Math.round(end), first + LONGEST_S * open.pocket.rate);
  tapePlayer.stop();
  const expected = previewPlayer.expect(source.audio, first, last);
  try {
    const fit = await ask(
      api.GET("/api/pockets/{pocket}/sources/{source}/fit", {
        params: { path: { pocket: open.id, source: source.id }, query: { tempo: inTempo, key: inKey } },
      }),
    );
    if (usePreview.getState().preview !== expected) return;
    if ((fit.speed ?? 1) === 1 && !fit.semitones) {
      previewPlayer.stop();
      await tapePlayer.play(source.audio, source.frames, first, loop ? { start: first, end: Math.round(end) } : null);
      return;
    }
    const url = `/api/audio/${source.audio}/fitted/${first}/${last}?speed=${(fit.speed ?? 1).toFixed(6)}&semitones=${(fit.semitones ?? 0).toFixed(2)}`;
    await previewPlayer.play(source.audio, first, last, url, source.trim, loop);
  } catch (error) {
    if (usePreview.getState().preview === expected) previewPlayer.stop();
    toast({ title: "That could not be fitted to the pocket", text: (error as Error).message, tone: "error" });
  }
}
