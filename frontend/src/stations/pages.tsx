/** What each station shows. */
import { useEffect, type ComponentType } from "react";

import type { Pocket, Source } from "../api/types";
import { showSource } from "../app/actions";
import { ordered } from "../app/pocket";
import type { Station } from "../app/stations";
import { useView } from "../app/view";
import { tapePlayer } from "../audio/tape";
import { Beginning } from "../start/Beginning";
import { Chop } from "./chop/Chop";
import { Listen } from "./listen/Listen";
import { Mix } from "./mix/Mix";
import { Rhythm } from "./rhythm/Rhythm";
import { Shape } from "./shape/Shape";
import { Song } from "./song/Song";
import { Split } from "./split/Split";

interface Page {
  pocket: Pocket;
}

export const PAGES: Record<Station, ComponentType<Page>> = {
  listen: ofSource(Listen),
  // Its stems are finds too: it stays as it is while one of them is opened.
  split: ofSource(Split, false),
  chop: ofSource(Chop),
  shape: ofPocket(Shape),
  rhythm: ofPocket(Rhythm),
  mix: ofPocket(Mix),
  song: ofPocket(Song),
};

/** A station that is about what the pocket holds; where there is nothing at all, how one begins. */
function ofPocket(Shown: ComponentType<Page>): ComponentType<Page> {
  return function OfPocket({ pocket }: Page) {
    const empty = [pocket.sources, pocket.pads, pocket.patterns, pocket.buses].every(
      (some) => !Object.keys(some).length,
    );
    return empty ? <Beginning /> : <Shown pocket={pocket} />;
  };
}

/** A station that is about the find that is open; where there is none, how one begins. anew: with every other find. */
function ofSource(Shown: ComponentType<{ source: Source; rate: number }>, anew = true): ComponentType<Page> {
  return function OfSource({ pocket }: Page) {
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
    return source ? <Shown key={anew ? source.id : undefined} source={source} rate={pocket.rate} /> : <Beginning />;
  };
}
