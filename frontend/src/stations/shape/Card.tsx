/** A folded card: what it does in one line; unfolded, how. */
import type { ReactNode } from "react";

import type { ShapeCard } from "../../app/view";
import { useView } from "../../app/view";

export function Card({
  card,
  title,
  line,
  children,
}: {
  card: ShapeCard;
  title: string;
  line: string | null;
  children: () => ReactNode;
}) {
  const open = useView((s) => s.card === card);
  return (
    <section
      aria-label={title}
      className={`rounded-[4px] border-[1.3px] ${line || open ? "border-ink bg-card" : "border-rule bg-paper"}`}
    >
      <h3>
        <button
          type="button"
          aria-expanded={open}
          onClick={() => useView.getState().look({ card: open ? null : card })}
          className="flex w-full items-baseline gap-3 px-3 py-[7px] text-left hover:bg-well"
        >
          <span className={`title w-[118px] shrink-0 text-[14.5px] ${line || open ? "" : "text-ink2"}`}>{title}</span>
          <span className={`min-w-0 grow truncate text-[12.5px] ${line ? "" : "text-ink2"}`}>
            {line ?? "untouched"}
          </span>
          <span aria-hidden className="text-[11px] text-ink2">
            {open ? "▾" : "▸"}
          </span>
        </button>
      </h3>
      {open ? <div className="px-3 pt-0.5 pb-2.5">{children()}</div> : null}
    </section>
  );
}
