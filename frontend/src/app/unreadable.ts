/** The pocket that was asked for and cannot be opened as it is, if there is one. */
import { create } from "zustand";

import type { UnreadableProblem } from "../api/types";

interface Store {
  found: { pocket: string; problem: UnreadableProblem } | null;
}

export const useUnreadable = create<Store>(() => ({ found: null }));
