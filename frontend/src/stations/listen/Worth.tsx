/** Worth taking: the stretches that loop best, and the cleanest kicks, snares and hats, to hear one after the other and take. */
import { type KeyboardEvent, useEffect, useRef } from "react";

import type { Source, Worth as Found } from "../../api/types";
import { choose, cutOut, KINDS, listed, toPad, toPads } from "../../app/found";
import { type FoundKind, useView } from "../../app/view";
import { Button } from "../../design/Button";
import { fixed, position } from "../../design/format";
import { ROLES } from "../../design/roles";
import { useLines } from "../../wave/lines";
import { beatsAt } from "../../wave/marks";

const TITLES: Record<FoundKind, string> = { loop: "Loops", kick: "Kicks", snare: "Snares", hat: "Hats" };
const A_ROW = 4;
/** A list is called clean when what sounds with its first hit is this much softer. */
const CLEAN_DB = -6;

/** How a list is ordered, in a word and in a sentence. */
const ORDERS = {
  loop: ["best join first", "How alike both sides of the join are, in level, tone and rhythm"],
  clean: ["cleanest first", "What else sounds with them is at least 6 dB softer"],
  covered: ["least covered first", "None is by itself: these have the least over them"],
} as const;

/** behind: told by other bars than the grid's, while those are being listened to. */
export function Worth({
  source,
  rate,
  worth,
  behind,
}: {
  source: Source;
  rate: number;
  worth: Found | undefined;
  behind: boolean;
}) {
  const found = useView((s) => s.found);
  const selection = useView((s) => s.selection?.source === source.id && s.selection.end > s.selection.start);
  const some = found !== null || selection;
  if (!worth) return <p className="text-ink2">Listening ...</p>;
  return (
    <section aria-label="Worth taking" aria-busy={behind} className="flex min-h-0 flex-col gap-1.5 text-[12px]">
      <div className="flex flex-wrap items-center gap-1.5">
        <Button keys="P" disabled={!some} hint="The loop, hit or selection, on the next free pad" onClick={toPad}>
          To pad
        </Button>
        <Button keys="N" disabled={!some} hint="A slice of its own, shown in Chop" onClick={cutOut}>
          Cut out for Chop
        </Button>
        <span className="min-w-0 basis-[280px] grow text-[11.5px] leading-[1.25] text-ink2">
          <kbd className="font-body font-semibold">,</kbd> and <kbd className="font-body font-semibold">.</kbd> play one
          after the other, Enter again. %: how well the loop joins; dB: what else sounds with the hit, beside it.
        </span>
      </div>
      <div className={`grid grid-cols-4 gap-3 ${behind ? "opacity-45" : ""}`}>
        {KINDS.map((kind) => (
          <List key={kind} source={source} rate={rate} worth={worth} kind={kind} />
        ))}
      </div>
    </section>
  );
}

function List({ source, rate, worth, kind }: { source: Source; rate: number; worth: Found; kind: FoundKind }) {
  const lines = useLines(source);
  const index = useView((s) => (s.found?.kind === kind ? s.found.index : -1));
  const all = listed(worth, kind);
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (index >= 0) box.current?.children[index]?.scrollIntoView({ block: "nearest" });
  }, [index]);
  function onKeyDown(event: KeyboardEvent) {
    const way = { ArrowDown: 1, ArrowUp: -1, Enter: 0 }[event.key];
    if (way === undefined || !all.length) return;
    event.preventDefault();
    choose(source, kind, Math.min(all.length - 1, Math.max(0, index + way)));
  }
  const clean = (worth.hits.find((hit) => hit.role === kind)?.cover_db ?? 0) <= CLEAN_DB;
  const place = (at: number) =>
    lines ? position(Math.round(beatsAt(lines, at) * 4) / 4, lines.beatsPerBar) : `${(at / rate).toFixed(2)} s`;
  const figure = (i: number) =>
    kind === "loop"
      ? `${Math.round((worth.loops[i]?.score ?? 0) * 100)} %`
      : under(worth.hits.filter((h) => h.role === kind)[i]?.cover_db ?? 0);
  return (
    <div className="flex min-w-0 flex-col">
      <div className="flex h-[26px] items-center gap-1 border-b border-rule">
        <h3 className="title grow truncate text-[13px]">
          {kind === "loop" ? null : <span style={{ color: ROLES[kind].color }}>{ROLES[kind].glyph} </span>}
          {TITLES[kind]}
        </h3>
        {all.length > 1 && kind !== "loop" ? (
          <Button
            className="!px-1.5 !py-0"
            hint={`The first ${Math.min(A_ROW, all.length)}, on the next free pads`}
            onClick={() => void toPads(source, all.slice(0, A_ROW))}
          >
            Top {Math.min(A_ROW, all.length)}
          </Button>
        ) : null}
      </div>
      <p
        className="pt-0.5 text-[11px] text-ink2"
        title={ORDERS[kind === "loop" ? "loop" : clean ? "clean" : "covered"][1]}
      >
        {ORDERS[kind === "loop" ? "loop" : clean ? "clean" : "covered"][0]}
      </p>
      <div
        ref={box}
        role="listbox"
        tabIndex={0}
        aria-label={`${TITLES[kind]}, ${kind === "loop" ? "best" : clean ? "cleanest" : "least covered"} first`}
        data-own-arrows
        onKeyDown={onKeyDown}
        className="thin-scroll flex max-h-[118px] flex-col overflow-auto"
      >
        {all.map((one, i) => (
          <div
            key={`${one.start} ${one.end}`}
            role="option"
            aria-selected={i === index}
            className={`flex cursor-pointer items-center gap-1.5 px-1 py-[2.5px] ${i === index ? "bg-nowtint" : "hover:bg-well"}`}
            onClick={() => choose(source, kind, i)}
          >
            <span className="min-w-0 grow truncate tabular-nums">
              {kind === "loop" ? `${one.name} at ${place(one.start).split(" ")[0]}` : place(one.start)}
            </span>
            <span className="text-ink2 tabular-nums">{figure(i)}</span>
          </div>
        ))}
      </div>
      {all.length ? null : (
        <p className="py-1 text-ink2">{kind === "loop" ? "none: it has no bars, or none come back" : "none in it"}</p>
      )}
    </div>
  );
}

/** How loud all else is beside the drum. */
function under(db: number): string {
  return `${db > 0 ? "+" : ""}${fixed(db, 0)} dB`;
}
