/**
 * The way from a first file to a first beat: which of its steps are done. It goes along with a pocket that was empty in this
 * browser, and is put away for good.
 */
import { create } from "zustand";
import { persist } from "zustand/middleware";

import { usePocket } from "../app/pocket";
import { usePreview } from "../audio/preview";
import { useTape } from "../audio/tape";
import { useSlice, useSounding } from "../audio/voices";

export const STEPS = ["hear", "pads", "play", "rhythm", "change", "export"] as const;
export type Step = (typeof STEPS)[number];

interface FirstBeat {
  pocket: string | null;
  done: Step[];
  away: boolean;
}

export const useFirstBeat = create<FirstBeat>()(
  persist((): FirstBeat => ({ pocket: null, done: [], away: false }), { name: "grain-pocket-first-beat" }),
);

/** Whether it goes along with the open pocket. */
export function goesAlong(): boolean {
  const { pocket, away } = useFirstBeat.getState();
  return !away && pocket !== null && pocket === usePocket.getState().open?.id;
}

export function tick(step: Step): void {
  const { done } = useFirstBeat.getState();
  if (goesAlong() && !done.includes(step)) useFirstBeat.setState({ done: [...done, step] });
}

export function putAway(): void {
  useFirstBeat.setState({ away: true });
}

/** Watch what is done, wherever it is done; returns how to stop. */
export function watchFirstBeat(): () => void {
  // The steps as they were when the rhythm was there: what differs from them is a change.
  let taken: unknown = null;
  const hear = () =>
    (useTape.getState().playing ?? usePreview.getState().preview ?? useSlice.getState().slice) !== null && tick("hear");
  const look = ({ open }: ReturnType<typeof usePocket.getState>) => {
    if (!open) return;
    const { away, pocket } = useFirstBeat.getState();
    const { sources, pads, patterns } = open.pocket;
    if (!away && !Object.keys(sources).length && !Object.keys(pads).length && pocket !== open.id)
      useFirstBeat.setState({ pocket: open.id, done: [] });
    if (Object.keys(pads).length) tick("pads");
    const hits = Object.values(patterns).map((pattern) => pattern.hits);
    if (!hits.some((some) => some.length)) return;
    if (useFirstBeat.getState().done.includes("rhythm") && taken && JSON.stringify(hits) !== taken) tick("change");
    taken ??= JSON.stringify(hits);
    tick("rhythm");
  };
  look(usePocket.getState());
  const stops = [
    usePocket.subscribe(look),
    useTape.subscribe(hear),
    usePreview.subscribe(hear),
    useSlice.subscribe(hear),
    useSounding.subscribe(({ sounding }) => Object.keys(sounding).length && usePocket.getState().open && tick("play")),
  ];
  return () => stops.forEach((stop) => stop());
}
