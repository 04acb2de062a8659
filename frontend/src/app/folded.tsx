/** What is folded away: a column as its name on edge, the steps as one line. */
import { useWindow } from "../design/useWindow";
import { useJobs } from "./events";
import { useView } from "./view";

/** From this height on there is room for the steps under every station. */
const TALL = 900;
/** From this width on, for the finds. */
const WIDE = 1180;
const NAME = "title h-min rounded-[3px] px-1 py-2 text-[14.5px] [writing-mode:vertical-rl] hover:bg-well";

/** Whether the steps are shown along the bottom: as they were last folded, or where there is room for them. */
export function useStrip(): boolean {
  const chosen = useView((s) => s.stripOpen);
  const tall = useWindow(() => window.innerHeight >= TALL);
  return chosen ?? tall;
}

/** Whether the finds are folded away beside a wave: as they were last, or where it is narrow. */
export function useFindsShut(): boolean {
  const chosen = useView((s) => s.findsShut);
  const narrow = useWindow(() => window.innerWidth < WIDE);
  return chosen ?? narrow;
}

export function FoldedFinds({ show }: { show: () => void }) {
  const coming = useJobs((s) => Object.keys(s.jobs).length);
  return (
    <aside aria-label="Finds" className="flex min-h-0 justify-center border-r-[1.5px] border-ink pt-3">
      <button type="button" className={NAME} title="Show the finds" onClick={show}>
        Finds{coming ? `, ${coming} coming` : ""}
      </button>
    </aside>
  );
}

export function FoldedPads() {
  return (
    <section aria-label="Pads" className="flex min-h-0 justify-center border-l-[1.5px] border-ink pt-3">
      <button
        type="button"
        className={NAME}
        title="Show the pads; the keys play them all the same"
        onClick={() => useView.getState().look({ padsShut: false })}
      >
        Pads
      </button>
    </section>
  );
}

export function StripFold({ open }: { open: boolean }) {
  return (
    <button
      type="button"
      aria-expanded={open}
      title={open ? "Fold the steps away" : "Show the steps here"}
      className="rounded-[2px] px-1 text-[12px] whitespace-nowrap text-ink2 hover:bg-well hover:text-ink"
      onClick={() => useView.getState().look({ stripOpen: !open })}
    >
      {open ? "▾ Fold steps" : "▴ Steps"}
    </button>
  );
}
