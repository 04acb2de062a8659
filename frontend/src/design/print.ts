/** Day print and night print: the same inks turned round, by the system's setting or by hand. */
import { create } from "zustand";
import { persist } from "zustand/middleware";

import { takeInks } from "./roles";

export type Print = "system" | "day" | "night";

export const PRINTS: Record<Print, string> = {
  system: "Print as the system says",
  day: "Day print",
  night: "Night print",
};

interface Chosen {
  print: Print;
  /** What is on. */
  night: boolean;
}

const dark = window.matchMedia("(prefers-color-scheme: dark)");
const isNight = (print: Print) => print === "night" || (print === "system" && dark.matches);

export const usePrint = create<Chosen>()(
  persist((): Chosen => ({ print: "system", night: dark.matches }), {
    name: "grain-pocket-print",
    partialize: ({ print }) => ({ print }),
  }),
);

/** Put the inks on the page; who painted with others paints again. */
function lay(): void {
  const night = isNight(usePrint.getState().print);
  document.documentElement.dataset.print = night ? "night" : "day";
  takeInks();
  if (usePrint.getState().night !== night) usePrint.setState({ night });
}

export function choosePrint(print: Print): void {
  usePrint.setState({ print });
  lay();
}

dark.addEventListener("change", lay);
lay();
