/** Where the musician is looking, station by station. Kept in the browser per pocket, so that a reload shows the same. */
import { create } from "zustand";
import { persist } from "zustand/middleware";

import type { Station } from "./stations";
import { CHOP, CHOP_FLEETING, type ChopView } from "./views/chop";
import { HOUSE, HOUSE_FLEETING, type HouseView } from "./views/house";
import { LISTEN, LISTEN_FLEETING, type ListenView } from "./views/listen";
import { MIX, type MixView } from "./views/mix";
import { PADS, PADS_FLEETING, type PadsView } from "./views/pads";
import { RHYTHM, RHYTHM_FLEETING, type RhythmView } from "./views/rhythm";
import { SHAPE, type ShapeView } from "./views/shape";
import { SONG, type SongView } from "./views/song";
import { type Span, FIND, FIND_FLEETING, type FindView } from "./views/find";

export type { Station };
export type { ChopPanel, Column, SearchView, TableView } from "./views/chop";
export type { FoundKind, ListenPanel } from "./views/listen";
export type { RhythmTools } from "./views/rhythm";
export type { ShapeCard } from "./views/shape";
export type { Span };

type View = HouseView & FindView & ListenView & ChopView & PadsView & ShapeView & RhythmView & MixView & SongView;

interface Actions {
  look: (change: Partial<View>) => void;
  setWindow: (source: string, span: Span) => void;
  switchPocket: (id: string) => void;
}

const START: View = { ...HOUSE, ...FIND, ...LISTEN, ...CHOP, ...PADS, ...SHAPE, ...RHYTHM, ...MIX, ...SONG };
const FLEETING: Partial<View> = {
  ...HOUSE_FLEETING,
  ...FIND_FLEETING,
  ...LISTEN_FLEETING,
  ...CHOP_FLEETING,
  ...PADS_FLEETING,
  ...RHYTHM_FLEETING,
};

/** What is open again when one comes back to a pocket. */
function opened({ station, source, pattern, page, pads, windows, cursor }: View): Partial<View> {
  return { station, source, pattern, page, pads, windows, cursor };
}

const MOST_LEFT = 30;

function lastOf(left: HouseView["left"]): HouseView["left"] {
  return Object.fromEntries(Object.entries(left).slice(-MOST_LEFT));
}

export const useView = create<View & Actions>()(
  persist(
    (set) => ({
      ...START,
      // Another selection is no longer the loop or hit that was chosen: what is taken is what is seen.
      look: (change) => set("selection" in change && !("found" in change) ? { ...change, found: null } : change),
      setWindow: (source, span) => set((s) => ({ windows: { ...s.windows, [source]: span } })),
      switchPocket: (id) =>
        set((s) =>
          s.pocketId === id
            ? {}
            : {
                ...START,
                ...s.left[id],
                left: s.pocketId ? lastOf({ ...s.left, [s.pocketId]: opened(s) }) : s.left,
                pocketId: id,
                station: s.left[id]?.station ?? s.station,
                pocketList: s.pocketList,
                findsShut: s.findsShut,
                padsShut: s.padsShut,
                stripOpen: s.stripOpen,
              },
        ),
    }),
    {
      name: "grain-pocket-view",
      partialize: (view) => ({ ...view, ...FLEETING }),
    },
  ),
);
