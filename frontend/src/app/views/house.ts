/** What is open and what is folded away, in every station. */
import type { Station } from "../stations";

export interface HouseView {
  pocketId: string | null;
  station: Station;
  page: number;
  help: boolean;
  /** Whether the list of all pockets is open. */
  pocketList: boolean;
  /** What was open in other pockets, to be open again. */
  left: Record<string, { station?: Station }>;
  /** The finds are shown in the stations that fold them away. */
  findsOpen: boolean;
  /** What was folded away by hand, in every pocket: the columns, the steps along the bottom; null: where there is no room. */
  findsShut: boolean | null;
  padsShut: boolean;
  stripOpen: boolean | null;
}

export const HOUSE: HouseView = {
  pocketId: null,
  station: "chop",
  page: 0,
  help: false,
  pocketList: false,
  left: {},
  findsOpen: false,
  findsShut: null,
  padsShut: false,
  stripOpen: null,
};

/** What a reload does not bring back. */
export const HOUSE_FLEETING: Partial<HouseView> = { help: HOUSE.help, pocketList: HOUSE.pocketList };
